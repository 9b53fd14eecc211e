import { Box, Button } from '@mui/material';
import { useSyncExternalStore, type ReactNode } from 'react';
import { showDuration, type Display } from '@peatmoor/core';
import { dates, showClock } from '../parts/time';
import { ink, MONO } from '../theme';
import { measure, nearestPoint } from './lines';
import type { ChartLine } from './chartLine';
import { chartView } from './view';

/** What lies between the two markers: of each line its change, how fast that is, and its mean. */
export function Measure({
  lines,
  displays,
  from,
  to,
}: {
  lines: readonly ChartLine[];
  displays: readonly Display[];
  from: number;
  to: number;
}): ReactNode {
  const { markers } = useSyncExternalStore(chartView.subscribe, chartView.now);
  const [a, b] = markers;
  if (a === undefined) return null;
  const within = Math.max(30, (to - from) / 20_000);
  return (
    <Box
      role="status"
      sx={{
        display: 'flex',
        flexWrap: 'wrap',
        columnGap: 2,
        alignItems: 'baseline',
        fontSize: '0.85rem',
        color: ink.soft,
      }}
    >
      {b === undefined ? (
        <span>A at {showClock(a, Date.now())}; press again for B.</span>
      ) : (
        <span>A to B: {showDuration(Math.abs(b - a))}</span>
      )}
      {lines.map(({ label, columns, hidden, under }, i) => {
        if (hidden || under) return null;
        const { back, mean, unit, reading } = displays[i]!;
        if (b === undefined) {
          const place = nearestPoint(columns, a / 1000, within);
          return place === null ? null : (
            <Box component="span" key={i} sx={{ fontFamily: MONO }}>
              {lines.length > 1 && `${label} `}
              {reading(back(columns.values[place]!))}
            </Box>
          );
        }
        const found = measure(columns, a / 1000, b / 1000, within);
        if (found === null) return null;
        const sign = (shown: number): string => (shown > 0 ? '+' : '');
        // A change has the unit's size, but not its zero: it is written as it is shown.
        const plain = (shown: number): string =>
          `${sign(shown)}${dates().number(Number(shown.toPrecision(4)))}`;
        return (
          <Box component="span" key={i} sx={{ fontFamily: MONO }}>
            {lines.length > 1 && `${label} `}
            {plain(found.delta)} {unit}, {plain(found.perHour)} {unit}/h, mean {mean(back(found.mean))}
          </Box>
        );
      })}
      <Button variant="text" size="small" onClick={chartView.unmark} sx={{ p: 0, minHeight: 0 }}>
        Take the markers away
      </Button>
    </Box>
  );
}
