import { Box, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { isControllable, type Datastream } from '@peatmoor/core';
import type { Device, Kind } from '@peatmoor/contract';
import { CommandMark, PressMark } from '../parts/marks';
import { Notice } from '../parts/Notice';
import { useDisplay } from '../parts/useDisplay';
import { ink } from '../theme';
import { ControlField } from './ControlField';
import { useControl } from './useControl';

/** The controls of a device: what is wanted, and whether the board applied it. */
export function Controls({ device, kind }: { device: Device; kind: Kind }): ReactNode {
  const streams = kind.streams.filter(isControllable);
  if (streams.length === 0)
    return (
      <Typography color="text.secondary">
        This kind has no controls. Add a datastream with the direction “people control it”.
      </Typography>
    );
  return streams.map((stream) => <ControlRow key={stream.key} device={device.id} stream={stream} />);
}

function ControlRow({ device, stream }: { device: string; stream: Datastream }): ReactNode {
  const { press, state, error, command, value } = useControl(device, stream);
  const display = useDisplay()(stream);
  return (
    <Box
      sx={{
        display: 'flex',
        flexWrap: 'wrap',
        alignItems: 'center',
        gap: 2,
        borderTop: `1px solid ${ink.faint}`,
        py: 1,
      }}
    >
      <Box sx={{ flex: '1 1 180px', fontWeight: 600 }}>{stream.title}</Box>
      <ControlField stream={stream} value={value} disabled={state !== 'still'} onSend={press} />
      <Box sx={{ flex: '2 1 220px', color: ink.soft }}>
        {state !== 'still' && <PressMark state={state} />}
        {state === 'still' && command && (
          <>
            <CommandMark state={command.state} note={command.note} /> {display.reading(command.value)}, by{' '}
            {command.by}
          </>
        )}
      </Box>
      <Notice error={error} />
    </Box>
  );
}
