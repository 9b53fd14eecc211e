import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { isNumeric } from '@peatmoor/core';
import { Picture } from '../../parts/Picture';
import { useDisplay } from '../../parts/useDisplay';
import { ink, MONO } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';
import { OneValue } from './OneValue';

function ValueBody({ sources: [source] }: WidgetProps): ReactNode {
  const { device, stream } = source;
  const display = useDisplay()(stream);
  return (
    <OneValue source={source}>
      {({ value, at, sample }) =>
        stream.type === 'image' && device !== null && at !== undefined ? (
          <Picture device={device.id} stream={stream} at={at} />
        ) : (
          <Box
            sx={{
              height: '100%',
              display: 'flex',
              alignItems: 'center',
              fontFamily: MONO,
              fontSize: isNumeric(stream) ? 'clamp(1.6rem, 2.6vw, 2.3rem)' : '1.15rem',
              overflowWrap: 'anywhere',
              color: sample ? ink.soft : ink.ink,
            }}
          >
            {value === undefined || stream.type === 'image' ? '–' : display.value(value)}
            <span style={{ fontSize: '0.5em', color: ink.soft, marginLeft: '0.35em' }}>{display.unit}</span>
          </Box>
        )
      }
    </OneValue>
  );
}

export const value: DrawnWidget = { Body: ValueBody, phoneHeight: 116 };
