import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { useRead } from '../../api';
import { usePress } from '../../devices/usePress';
import { wantedValue } from '../../devices/wanted';
import { useNewest } from '../../live';
import { CommandMark, PressMark } from '../../parts/marks';
import { Notice } from '../../parts/Notice';
import { OnOff } from '../../parts/OnOff';
import { ink } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';

/** Tells a board on or off; shows how far the command has come. */
function SwitchBody({ sources: [source], editing }: WidgetProps): ReactNode {
  const device = source.device?.id ?? '';
  const commands = useRead('listCommands', { params: { device } }, source.device !== null).data;
  const { press, state, error } = usePress(device, source.stream.key);
  const reported = useNewest(source.device?.id ?? null, source.stream.key)?.value;
  const command = commands?.find(({ stream }) => stream === source.stream.key);
  const on = wantedValue(command, source.stream.direction === 'both' ? reported : undefined) === 1;
  return (
    <Box
      sx={{ height: '100%', display: 'flex', flexDirection: 'column', justifyContent: 'center', gap: 0.5 }}
    >
      <OnOff
        on={on}
        label={source.stream.title}
        disabled={editing || source.device === null || state !== 'still'}
        onPress={press}
      />
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

export const onOffSwitch: DrawnWidget = { Body: SwitchBody, phoneHeight: 132 };
