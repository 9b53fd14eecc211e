import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { numberOption, sampleValue } from '@peatmoor/core';
import { boundsOf } from '../../charts/period';
import { useNewestRows } from '../../charts/useNewestRows';
import { liveStore, useAllShown, useHeld } from '../../live';
import { showClock, showSeconds } from '../../parts/time';
import { useDisplay } from '../../parts/useDisplay';
import { ink, MONO } from '../../theme';
import type { Source } from '../useCatalogue';
import type { DrawnWidget, WidgetProps } from './drawn';
import { Sampled } from './Sampled';
import { serviceNow } from '../../live/clock';

const SAMPLE_ROWS = 6;

/** The newest readings of the period, a row a time, as they were measured. */
function SheetBody({ widget, sources, period }: WidgetProps): ReactNode {
  const rows = numberOption(widget, 'rows') ?? 20;
  const real = sources.filter(({ device }) => device !== null);
  const isSample = real.length === 0;
  const columns = isSample ? sources : real;
  const named = real.map(({ device, stream }) => ({ device: device!.id, stream: stream.key }));
  const lines = useNewestRows(sources, period, rows);
  useAllShown(named.map(({ device }) => device).join());
  useHeld(liveStore.subscribe, () =>
    named.map(({ device, stream }) => liveStore.tail(device, stream).length).join(),
  );
  const displayOf = useDisplay();
  const now = serviceNow();
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
  const newest = isSample
    ? sampleRows(columns, Math.min(rows, SAMPLE_ROWS))
    : [...byTime.entries()].sort(([a], [b]) => b - a).slice(0, rows);
  const several = new Set(real.map(({ device }) => device!.id)).size > 1;
  return (
    <Sampled sample={isSample}>
      <Box
        sx={{ height: '100%', overflow: 'auto' }}
        tabIndex={0}
        aria-label={`Newest readings of ${columns.map(({ device, stream }) => `${stream.title}, ${device?.name ?? 'the chosen device'}`).join('; ')}`}
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
              verticalAlign: 'bottom',
              bgcolor: ink.paper,
              fontWeight: 400,
              color: ink.soft,
            },
            '& td': { fontFamily: MONO, whiteSpace: 'nowrap' },
          }}
        >
          <thead>
            <tr>
              <th scope="col" style={{ textAlign: 'left' }}>
                time
              </th>
              {columns.map(({ device, stream }) => (
                <th key={`${device?.id}/${stream.key}`} scope="col">
                  <Box component="span" sx={{ display: 'inline-block', maxWidth: '11em' }}>
                    {several ? `${device!.name} ${stream.title}` : stream.title}
                  </Box>
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
                  <td key={i}>{value === null ? '' : displayOf(columns[i]!.stream).reading(value)}</td>
                ))}
              </tr>
            ))}
          </tbody>
        </Box>
        {newest.length === 0 && lines.every((line) => line !== undefined) && (
          <Box sx={{ color: ink.soft }}>No reading in this period.</Box>
        )}
      </Box>
    </Sampled>
  );
}

/** Rows of sample values, a report apart, the newest first. */
function sampleRows(sources: readonly Source[], count: number): [at: number, values: number[]][] {
  const everyMs = (sources[0]?.kind.intervalS ?? 60) * 1000;
  const last = Math.floor(serviceNow() / everyMs) * everyMs;
  return Array.from({ length: count }, (_, i) => {
    const at = last - i * everyMs;
    return [at, sources.map(({ stream }) => sampleValue(stream, at))];
  });
}

export const sheet: DrawnWidget = { Body: SheetBody, phoneHeight: 280 };
