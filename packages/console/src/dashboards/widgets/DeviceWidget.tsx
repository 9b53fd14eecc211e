import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { presenceOf } from '@peatmoor/core';
import { useHeardUntil, useLastSeen } from '../../live';
import { PresenceMark } from '../../parts/marks';
import { showAgo } from '../../parts/time';
import { ink, MONO } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';

/** Whether a device is online, when it was last seen and when its next report is due, and what it says of itself. */
function DeviceBody({ sources: [{ device, kind }] }: WidgetProps): ReactNode {
  const seen = useLastSeen(device?.id ?? null);
  const now = useHeardUntil(1000);
  if (device === null) return <Box sx={{ color: ink.heather, fontSize: '0.85rem' }}>the chosen device</Box>;
  const last = Math.max(seen ?? 0, device.lastSeenAt ?? 0) || null;
  const next = last === null ? null : last + kind.intervalS * 1000 - now;
  const { about } = device;
  const facts: [string, ReactNode][] = [
    ['last seen', last === null ? 'never' : showAgo(last, now)],
    ['next report', next === null ? '–' : next > 0 ? `in ${Math.ceil(next / 1000)} s` : 'due'],
    ['signal', about.signal === undefined ? null : `${about.signal} dBm`],
    ['battery', about.battery === undefined ? null : `${about.battery} %`],
    ['firmware', about.firmware ?? null],
    ['board', about.board ?? null],
  ];
  return (
    <Box sx={{ height: '100%', overflow: 'hidden' }}>
      <Box sx={{ mb: 0.75 }}>
        <PresenceMark
          presence={presenceOf(
            { connected: device.presence.state === 'online', lastSeenAt: last, intervalS: kind.intervalS },
            now,
          )}
          now={now}
        />{' '}
        <Link to={`/devices/${device.id}`}>{device.id}</Link>
      </Box>
      <Box
        component="dl"
        sx={{
          m: 0,
          display: 'grid',
          gridTemplateColumns: 'auto 1fr',
          columnGap: 2,
          rowGap: 0.25,
          fontSize: '0.9rem',
          '& dt': { color: ink.soft },
          '& dd': {
            m: 0,
            fontFamily: MONO,
            overflow: 'hidden',
            textOverflow: 'ellipsis',
            whiteSpace: 'nowrap',
          },
        }}
      >
        {facts.map(([name, value]) =>
          value === null || value === ''
            ? null
            : [<dt key={name}>{name}</dt>, <dd key={`${name} value`}>{value}</dd>],
        )}
      </Box>
    </Box>
  );
}

export const device: DrawnWidget = { Body: DeviceBody, phoneHeight: 190 };
