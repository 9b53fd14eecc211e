import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { numberOption } from '@peatmoor/core';
import { boundsOf } from '../../charts/period';
import { useNewestRows } from '../../charts/useNewestRows';
import { liveStore, useAllShown, useHeld } from '../../live';
import { showClock, showSeconds } from '../../parts/time';
import { useDisplay } from '../../parts/useDisplay';
import { ink, MONO } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';

/** The newest readings of the period, a row a time, as they were measured. */
function SheetBody({ widget, sources, period }: WidgetProps): ReactNode {
  const rows = numberOption(widget, 'rows') ?? 20;
  const real = sources.filter(({ device }) => device !== null);
  const named = real.map(({ device, stream }) => ({ device: device!.id, stream: stream.key }));
  const lines = useNewestRows(sources, period, rows);
  useAllShown(named.map(({ device }) => device).join());
  useHeld(liveStore.subscribe, () =>
    named.map(({ device, stream }) => liveStore.tail(device, stream).length).join(),
  );
  const displayOf = useDisplay();
  const now = Date.now();
  const { from, to } = boundsOf(period, now + 60_000);
  const byTime = new Map<number, (number | null)[]>();
  real.forEach((_, i) => {
    const line = lines[i];
    const put = (at: number, value: number | null): void => {
      if (at < from || at > to) return;
      const row = byTime.get(at) ?? real.map(() => null);
      row[i] = value;
      byTime.set(at, row);
    };
    line?.times.forEach((at, n) => put(at, line.values[n]!));
    const end = line?.times.at(-1) ?? 0;
    for (const { at, value } of liveStore.tail(named[i]!.device, named[i]!.stream))
      if (at > end) put(at, value);
  });
  const newest = [...byTime.entries()].sort(([a], [b]) => b - a).slice(0, rows);
  const several = new Set(real.map(({ device }) => device!.id)).size > 1;
  if (real.length === 0)
    return (
      <Box sx={{ color: ink.heather, fontSize: '0.85rem' }}>the newest readings of the chosen device</Box>
    );
  return (
    <Box
      sx={{ height: '100%', overflow: 'auto' }}
      tabIndex={0}
      aria-label={`Newest readings of ${real.map(({ device, stream }) => `${stream.title}, ${device!.name}`).join('; ')}`}
      role="region"
    >
      <Box
        component="table"
        sx={{
          borderCollapse: 'collapse',
          width: '100%',
          fontSize: '0.9rem',
          '& td, & th': { textAlign: 'right', px: 1, py: 0.4, borderBottom: `1px solid ${ink.faint}` },
          '& th': {
            position: 'sticky',
            top: 0,
            bgcolor: ink.paper,
            fontWeight: 400,
            color: ink.soft,
            overflowWrap: 'anywhere',
          },
          '& td': { fontFamily: MONO, whiteSpace: 'nowrap' },
        }}
      >
        <thead>
          <tr>
            <th scope="col" style={{ textAlign: 'left' }}>
              time
            </th>
            {real.map(({ device, stream }) => (
              <th key={`${device!.id}/${stream.key}`} scope="col">
                {several ? `${device!.name} ${stream.title}` : stream.title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {newest.map(([at, values]) => (
            <tr key={at}>
              <td style={{ textAlign: 'left' }}>
                {now - at < 43_200_000 ? showSeconds(at) : showClock(at, now)}
              </td>
              {values.map((value, i) => (
                <td key={i}>{value === null ? '' : displayOf(real[i]!.stream).reading(value)}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </Box>
      {newest.length === 0 && <Box sx={{ color: ink.soft }}>No reading in this period.</Box>}
    </Box>
  );
}

export const sheet: DrawnWidget = { Body: SheetBody, phoneHeight: 280 };
