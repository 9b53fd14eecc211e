import { Box, Button } from '@mui/material';
import type { ReactNode } from 'react';
import { useControl } from '../../devices/useControl';
import { ink } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';
import { Steered } from './Steered';

/** A press that is told once; shows what became of the last one. */
function ButtonBody({ sources: [source], editing }: WidgetProps): ReactNode {
  const { device, stream, kind } = source;
  const control = useControl(device, stream, kind.intervalS);
  return (
    <Steered control={control} momentary sample={device === null}>
      <Button
        disabled={editing || device === null || !control.may}
        aria-disabled={control.busy || undefined}
        onClick={() => !control.busy && control.press(true)}
        sx={{
          alignSelf: 'flex-start',
          minHeight: 44,
          minWidth: 'min(130px, 100%)',
          maxWidth: '100%',
          whiteSpace: 'normal',
          overflowWrap: 'anywhere',
          border: `1.5px solid ${ink.ink}`,
        }}
      >
        <Box
          component="span"
          sx={{
            display: '-webkit-box',
            WebkitLineClamp: '2',
            WebkitBoxOrient: 'vertical',
            overflow: 'hidden',
          }}
        >
          {stream.title}
        </Box>
      </Button>
    </Steered>
  );
}

export const button: DrawnWidget = { Body: ButtonBody, phoneHeight: 132 };
