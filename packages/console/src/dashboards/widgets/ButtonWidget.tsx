import { Box, Button } from '@mui/material';
import type { ReactNode } from 'react';
import { optionOf } from '@peatmoor/core';
import { useControl } from '../../devices/useControl';
import { useAsk } from '../../parts/Ask';
import { ink } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';
import { Steered } from './Steered';

/** A press that is told once; shows what became of the last one. */
function ButtonBody({ widget, sources: [{ device, stream }], editing }: WidgetProps): ReactNode {
  const control = useControl(device?.id ?? null, stream);
  const ask = useAsk();
  const pressed = async (): Promise<void> => {
    const asks = optionOf(widget, 'asks') === true;
    const text = `It is told to ${device?.name} at once.`;
    if (!asks || (await ask({ title: `${stream.title}?`, text, action: stream.title }))) control.press(true);
  };
  return (
    <Steered control={control} sample={device === null}>
      <Button
        disabled={editing || device === null || !control.ready}
        onClick={() => void pressed()}
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
