import { Box, Button } from '@mui/material';
import type { ReactNode } from 'react';
import { optionOf } from '@peatmoor/core';
import { useRead } from '../../api';
import { usePress } from '../../devices/usePress';
import { useAsk } from '../../parts/Ask';
import { CommandMark, PressMark } from '../../parts/marks';
import { Notice } from '../../parts/Notice';
import { ink } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';

/** A press that is told once; shows what became of the last one. */
function ButtonBody({ widget, sources: [source], editing }: WidgetProps): ReactNode {
  const { stream } = source;
  const device = source.device?.id ?? '';
  const commands = useRead('listCommands', { params: { device } }, source.device !== null).data;
  const { press, state, error } = usePress(device, stream.key);
  const ask = useAsk();
  const command = commands?.find((one) => one.stream === stream.key);
  const pressed = async (): Promise<void> => {
    const asks = optionOf(widget, 'asks') === true;
    const question = {
      title: `${stream.title}?`,
      text: `It is told to ${source.device?.name} at once.`,
      action: stream.title,
    };
    if (!asks || (await ask(question))) press(true);
  };
  return (
    <Box
      sx={{ height: '100%', display: 'flex', flexDirection: 'column', justifyContent: 'center', gap: 0.5 }}
    >
      <Button
        disabled={editing || source.device === null || state !== 'still'}
        onClick={() => void pressed()}
        sx={{ alignSelf: 'flex-start', minHeight: 44, minWidth: 130, border: `1.5px solid ${ink.ink}` }}
      >
        {stream.title}
      </Button>
      <Box sx={{ minHeight: '1.4em', color: ink.soft }}>
        {state !== 'still' ? (
          <PressMark state={state} />
        ) : command ? (
          <CommandMark state={command.state} note={command.note} />
        ) : source.device === null ? (
          'sample'
        ) : (
          ''
        )}
      </Box>
      <Notice error={error} />
    </Box>
  );
}

export const button: DrawnWidget = { Body: ButtonBody, phoneHeight: 132 };
