import { Box, Button, Typography } from '@mui/material';
import { Suspense, useState, type ReactNode } from 'react';
import { isControllable, type Datastream } from '@peatmoor/core';
import type { Device, InterlocksOf, Kind } from '@peatmoor/contract';
import { useRead } from '../api';
import { PressMark } from '../parts/marks';
import { Notice } from '../parts/Notice';
import { useDisplay } from '../parts/useDisplay';
import { useMay } from '../parts/useMay';
import { later } from '../parts/later';
import { ink } from '../theme';
import { CommandLine } from './CommandLine';
import { ControlField } from './ControlField';
import { HeldBy } from './HeldBy';
import { Kept } from './Kept';
import { HowOld } from './HowOld';
import { onOffOf, useControl } from './useControl';

const Timetables = later(() => import('../timetables/Timetables'), 'Timetables');

/** The controls of a device: what is wanted, and whether the board applied it. */
export function Controls({ device, kind }: { device: Device; kind: Kind }): ReactNode {
  const streams = kind.streams.filter(isControllable);
  const mayLook = useMay('look');
  const held = useRead('listInterlocks', { params: { device: device.id } }, mayLook).data;
  if (streams.length === 0)
    return (
      <Typography color="textSecondary">
        This kind has no controls. Add a datastream with the direction “people control it”.
      </Typography>
    );
  return streams.map((stream) => (
    <ControlRow
      key={stream.key}
      device={device}
      stream={stream}
      intervalS={kind.intervalS}
      held={held?.find((one) => one.stream === stream.key)}
    />
  ));
}

function ControlRow({
  device,
  stream,
  intervalS,
  held,
}: {
  device: Device;
  stream: Datastream;
  intervalS: number;
  held: InterlocksOf | undefined;
}): ReactNode {
  const [times, setTimes] = useState(false);
  const mayChange = useMay('change');
  const control = useControl(device, stream, intervalS);
  const { press, may, busy, barred, state, error, command, measured, value } = control;
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
      <ControlField
        stream={stream}
        value={value}
        has={onOffOf(control)}
        disabled={!may}
        busy={busy}
        onSend={press}
      />
      <Box sx={{ flex: '2 1 220px', color: ink.soft }}>
        <Box component="span" role="status">
          {state !== 'still' && <PressMark state={state} />}
          {state === 'still' && command && (
            <>
              <CommandLine command={command} measured={measured} /> {display.reading(command.value)}, by{' '}
              {command.by}
            </>
          )}
        </Box>{' '}
        <HowOld control={control} momentary={stream.holds === 'momentary'} />
      </Box>
      {mayChange && stream.type !== 'image' && (
        <Button
          variant="text"
          size="small"
          aria-label={`Set times of ${stream.title}`}
          onClick={() => setTimes(true)}
        >
          Set times
        </Button>
      )}
      {times && (
        <Suspense>
          <Timetables device={device} stream={stream} onClose={() => setTimes(false)} />
        </Suspense>
      )}
      <Kept device={device} stream={stream} held={held} />
      {held && <HeldBy device={device.id} of={held} maySteer={barred === null} />}
      <Notice error={error} />
    </Box>
  );
}
