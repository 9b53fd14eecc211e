import { Box, Checkbox, Typography } from '@mui/material';
import { memo, type ReactNode } from 'react';
import { Link } from 'react-router';
import type { Device, Kind } from '@peatmoor/contract';
import { useNewest } from '../live';
import { EventFlag } from '../parts/marks';
import { useDisplay } from '../parts/useDisplay';
import { ink, MONO } from '../theme';
import { DevicePresence } from './DevicePresence';

/** Newest values that stand in the row of a device. */
const MOST_VALUES = 3;

/** A device in the list: its name, labels and state, what it measured last, and what is wrong with it. */
export const DeviceLine = memo(function DeviceLine({
  device,
  kind,
  chosen,
  onChoose,
}: {
  device: Device;
  kind: Kind | undefined;
  /** null where nothing can be chosen. */
  chosen: boolean | null;
  onChoose: (device: string, on: boolean) => void;
}): ReactNode {
  const shown = (kind?.streams ?? [])
    .filter(({ direction, type }) => direction !== 'control' && type !== 'image' && type !== 'location')
    .slice(0, MOST_VALUES);
  return (
    <Box
      data-line={device.id}
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: 'auto 1fr auto', md: 'auto 1.3fr 200px 1.6fr' },
        columnGap: 2,
        py: 0.75,
        borderTop: `1px solid ${ink.faint}`,
        alignItems: 'center',
      }}
    >
      {chosen === null ? (
        <span />
      ) : (
        <Checkbox
          size="small"
          checked={chosen}
          onChange={(_event, on) => onChoose(device.id, on)}
          slotProps={{ input: { 'aria-label': `Choose ${device.name}` } }}
        />
      )}
      <Box sx={{ minWidth: 0 }}>
        <Typography
          variant="h3"
          component={Link}
          to={`/devices/${device.id}`}
          sx={{ overflowWrap: 'anywhere' }}
        >
          {device.name}
        </Typography>
        <Box sx={{ color: ink.soft, fontSize: '0.85rem', display: 'flex', flexWrap: 'wrap', columnGap: 1.5 }}>
          <span style={{ fontFamily: MONO }}>{device.id}</span>
          {device.labels.map((label) => (
            <span key={label}>{label}</span>
          ))}
          {device.gateway !== null && <span>behind {device.gateway}</span>}
        </Box>
      </Box>
      <Box
        sx={{
          display: 'flex',
          flexWrap: 'wrap',
          columnGap: 1.5,
          justifyContent: { xs: 'flex-end', md: 'flex-start' },
        }}
      >
        <DevicePresence device={device} intervalS={kind?.intervalS ?? 60} />
        {device.openEvents > 0 && (
          <Link to="/events" style={{ fontSize: '0.9rem' }}>
            <EventFlag open acknowledged={false} urgent={false} /> {device.openEvents} open
          </Link>
        )}
      </Box>
      <Box
        sx={{
          gridColumn: { xs: '2 / -1', md: 'auto' },
          display: 'flex',
          flexWrap: 'wrap',
          columnGap: 2,
          fontSize: '0.9rem',
          minWidth: 0,
        }}
      >
        {shown.map((stream) => (
          <NewestWord key={stream.key} device={device.id} stream={stream} />
        ))}
        {device.proof.firstReadingAt === null && (
          <Link to={`/devices/${device.id}`} style={{ color: ink.heather }}>
            Connect it now
          </Link>
        )}
      </Box>
    </Box>
  );
});

function NewestWord({ device, stream }: { device: string; stream: Kind['streams'][number] }): ReactNode {
  const newest = useNewest(device, stream.key);
  const display = useDisplay()(stream);
  if (newest === undefined) return null;
  return (
    <span>
      <span style={{ color: ink.soft }}>{stream.title}</span>{' '}
      <span style={{ fontFamily: MONO }}>{display.reading(newest.value)}</span>
    </span>
  );
}
