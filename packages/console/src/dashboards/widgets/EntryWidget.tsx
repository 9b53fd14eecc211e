import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { useRead } from '../../api';
import { ControlField } from '../../devices/ControlField';
import { usePress } from '../../devices/usePress';
import { wantedValue } from '../../devices/wanted';
import { useNewest } from '../../live';
import { CommandMark, PressMark } from '../../parts/marks';
import { Notice } from '../../parts/Notice';
import { useDisplay } from '../../parts/useDisplay';
import { ink } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';

/** Sets a number, a choice, a text or a colour; shows what is wanted and how far it has come. */
function EntryBody({ sources: [source], editing }: WidgetProps): ReactNode {
  const { stream } = source;
  const device = source.device?.id ?? '';
  const display = useDisplay()(stream);
  const commands = useRead('listCommands', { params: { device } }, source.device !== null).data;
  const { press, state, error } = usePress(device, stream.key);
  const newest = useNewest(source.device?.id ?? null, stream.key)?.value;
  const command = commands?.find((one) => one.stream === stream.key);
  return (
    <Box
      sx={{ height: '100%', display: 'flex', flexDirection: 'column', justifyContent: 'center', gap: 0.5 }}
    >
      <ControlField
        stream={stream}
        value={wantedValue(command, stream.direction === 'both' ? newest : undefined)}
        disabled={editing || source.device === null || state !== 'still'}
        onSend={press}
      />
      <Box sx={{ minHeight: '1.4em', color: ink.soft, display: 'flex', gap: 1.5, flexWrap: 'wrap' }}>
        {state !== 'still' ? (
          <PressMark state={state} />
        ) : (
          command && (
            <>
              <CommandMark state={command.state} note={command.note} />
              <span>{display.reading(command.value)}</span>
            </>
          )
        )}
      </Box>
      <Notice error={error} />
    </Box>
  );
}

export const entry: DrawnWidget = { Body: EntryBody, phoneHeight: 132 };
