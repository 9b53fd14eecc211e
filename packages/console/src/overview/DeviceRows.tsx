import { Box, Typography } from '@mui/material';
import { memo, type ReactNode } from 'react';
import { Link } from 'react-router';
import { isScalar, type Datastream } from '@peatmoor/core';
import type { Device, Kind, Overview } from '@peatmoor/contract';
import { DevicePresence } from '../devices/DevicePresence';
import { useNewest } from '../live';
import { AlignedFigure } from '../parts/Figure';
import { KindMark } from '../parts/KindMark';
import { EventFlag } from '../parts/marks';
import { useDisplay } from '../parts/useDisplay';
import { ink } from '../theme';
import { DayLine } from './DayLine';
import { LEDGER } from './ledger';
import { inRows } from './rows';

/** The rows of one device in the ledger: its name, then a line for each number it reports. */
export const DeviceRows = memo(function DeviceRows({
  device,
  kind,
  leftOut,
  overview,
}: {
  device: Device;
  kind: Kind | undefined;
  /** Keys of datastreams that whoever looks does not want to see here. */
  leftOut: readonly string[] | undefined;
  overview: Overview | undefined;
}): ReactNode {
  const streams = kind === undefined ? [] : inRows(kind).filter(({ key }) => leftOut?.includes(key) !== true);
  const numbers = streams.filter((stream) => isScalar(stream));
  const states = streams.filter((stream) => !isScalar(stream));
  return (
    <Box
      data-device={device.id}
      sx={{
        display: 'grid',
        gridTemplateColumns: LEDGER,
        columnGap: 3,
        borderTop: `1px solid ${ink.line}`,
        py: 1.5,
        alignItems: 'center',
      }}
    >
      <Box
        sx={{
          gridRow: { md: `span ${Math.max(1, numbers.length)}` },
          gridColumn: { xs: '1 / -1', md: '1' },
          alignSelf: 'start',
          minWidth: 0,
          pb: { xs: 1, md: 0 },
        }}
      >
        <Typography
          variant="h3"
          component={Link}
          to={`/devices/${device.id}`}
          sx={{ textDecoration: 'none', '&:hover': { textDecoration: 'underline' } }}
        >
          <KindMark icon={kind?.icon ?? ''} size={18} /> {device.name}
        </Typography>
        <Box sx={{ display: 'flex', flexWrap: 'wrap', columnGap: 1.5, alignItems: 'center' }}>
          <DevicePresence device={device} intervalS={kind?.intervalS ?? 60} />
          {device.openEvents > 0 && (
            <Box
              component={Link}
              to="/events"
              sx={{ display: 'inline-flex', alignItems: 'center', gap: 0.5, fontSize: '0.9rem' }}
            >
              <EventFlag open acknowledged={false} urgent={false} />
              {device.openEvents} open
            </Box>
          )}
        </Box>
        {states.length > 0 && (
          <Box sx={{ fontSize: '0.9rem', color: ink.soft, mt: 0.5 }}>
            {states.map((stream) => (
              <StateWord key={stream.key} device={device.id} stream={stream} />
            ))}
          </Box>
        )}
        {device.proof.firstReadingAt === null && (
          <Box component={Link} to={`/devices/${device.id}`} sx={{ fontSize: '0.9rem', color: ink.heather }}>
            Connect it now
          </Box>
        )}
      </Box>
      {numbers.map((stream) => (
        <NumberRow key={stream.key} device={device.id} stream={stream} overview={overview} />
      ))}
    </Box>
  );
});

function StateWord({ device, stream }: { device: string; stream: Datastream }): ReactNode {
  const newest = useNewest(device, stream.key);
  const display = useDisplay()(stream);
  if (newest === undefined) return null;
  return (
    <Box
      component="span"
      sx={{ mr: 1.5, display: 'inline-block', maxWidth: '100%', overflowWrap: 'anywhere' }}
    >
      {stream.title}{' '}
      <Box component="span" sx={{ color: ink.ink, fontWeight: newest.value === 0 ? 400 : 700 }}>
        {display.reading(newest.value)}
      </Box>
    </Box>
  );
}

function NumberRow({
  device,
  stream,
  overview,
}: {
  device: string;
  stream: Datastream;
  overview: Overview | undefined;
}): ReactNode {
  const newest = useNewest(device, stream.key);
  const line = overview?.lines.find((one) => one.device === device && one.key === stream.key);
  return (
    <>
      <Box sx={{ gridColumn: { xs: '1', md: '2' }, color: ink.soft, fontSize: '0.95rem', minWidth: 0 }}>
        {stream.title}
      </Box>
      <Box
        sx={{
          gridColumn: { xs: '2', md: '3' },
          fontSize: { xs: '1rem', md: '1.1rem' },
          justifySelf: { xs: 'end', md: 'start' },
        }}
      >
        <AlignedFigure stream={stream} value={typeof newest?.value === 'number' ? newest.value : undefined} />
      </Box>
      <Box sx={{ gridColumn: { xs: '1 / -1', md: '4' }, minHeight: 34 }}>
        {overview && (
          <DayLine
            line={line}
            from={overview.from}
            to={overview.to}
            label={`${stream.title}, last 24 hours`}
          />
        )}
      </Box>
    </>
  );
}
