import { Box, ButtonBase } from '@mui/material';
import { useSyncExternalStore, type ReactNode } from 'react';
import type { Display } from '@peatmoor/core';
import { showClock, showSeconds } from '../parts/time';
import { ink, MONO } from '../theme';
import { crosshair } from './crosshair';
import { nearestPoint } from './lines';
import { LINE_DASHES, LINE_INKS, pointOf, scalesOf, type ChartLine } from './chartLine';

/** Room for a reading with its unit. */
const READING = '8ch';

/** The lines of a chart by name, with their newest values, or those at the crosshair; a press hides one and shows it again. */
export function Legend({
  lines,
  displays,
  from,
  to,
  onToggle,
}: {
  lines: readonly ChartLine[];
  /** How the values of each line are written. */
  displays: readonly Display[];
  from: number;
  to: number;
  onToggle: (line: number) => void;
}): ReactNode {
  const pointed = useSyncExternalStore(crosshair.subscribe, crosshair.at);
  const scales = scalesOf(lines);
  const within = Math.max(10, (to - from) / 50_000);
  return (
    <Box sx={{ display: 'flex', flexWrap: 'wrap', columnGap: 2, fontSize: '0.9rem', mb: 0.5 }}>
      {lines.map(({ label, unit, colour, columns, hidden, under }, i) => {
        if (under) return null;
        const place = pointed === null ? lastIn(columns.times, to) : nearestPoint(columns, pointed, within);
        const value = place === null ? null : columns.values[place];
        const { low, high } = columns;
        const reading = (shown: number): string => displays[i]!.reading(displays[i]!.back(shown));
        const spread =
          place !== null && low[place] !== high[place]
            ? `${displays[i]!.value(displays[i]!.back(low[place]!))} to ${reading(high[place]!)}`
            : '';
        return (
          <ButtonBase
            key={i}
            aria-pressed={!hidden}
            title={hidden ? 'show it' : 'hide it'}
            onClick={() => onToggle(i)}
            sx={{
              display: 'inline-flex',
              flexWrap: 'wrap',
              justifyContent: 'flex-start',
              alignItems: 'center',
              maxWidth: '100%',
              textAlign: 'left',
              overflowWrap: 'anywhere',
              gap: 0.75,
              font: 'inherit',
              fontSize: '0.9rem',
              minHeight: 24,
              textDecoration: hidden ? 'line-through' : 'none',
              color: hidden ? ink.soft : ink.ink,
            }}
          >
            <span style={{ display: 'inline-flex', alignItems: 'center', gap: 6, minWidth: 0 }}>
              <svg width="22" height="8" aria-hidden style={{ flex: 'none' }}>
                <line
                  x1="0"
                  x2="22"
                  y1="4"
                  y2="4"
                  stroke={colour ?? ink[LINE_INKS[i % LINE_INKS.length]!]}
                  strokeWidth="2"
                  strokeDasharray={LINE_DASHES[i % LINE_DASHES.length]!.join(' ')}
                  opacity={hidden ? 0.4 : 1}
                />
              </svg>
              <span style={{ minWidth: 0 }}>{label}</span>
              {!hidden && scales.get(unit)?.startsWith('own') && (
                <span style={{ color: ink.soft, fontSize: '0.85em' }}>own scale</span>
              )}
            </span>
            {!hidden && (
              // Its room is kept until it is read: else lines would wrap anew and the chart below them move.
              <span style={{ fontFamily: MONO, color: ink.soft, minWidth: READING }}>
                {value != null && pointOf(columns, place!, displays[i]!)}
              </span>
            )}
            {pointed !== null && value != null && spread !== '' && !hidden && (
              <span style={{ fontFamily: MONO, color: ink.soft, fontSize: '0.85em' }}>({spread})</span>
            )}
          </ButtonBase>
        );
      })}
      {pointed !== null && (
        <Box component="span" sx={{ ml: 'auto', fontFamily: MONO, color: ink.soft }}>
          {to - from > 86_400_000 ? showClock(pointed * 1000, 0) : showSeconds(pointed * 1000)}
        </Box>
      )}
    </Box>
  );
}

/** The place of the last point up to a time (epoch ms); null where there is none. */
function lastIn(times: readonly number[], to: number): number | null {
  for (let i = times.length - 1; i >= 0; i--) if (times[i]! * 1000 <= to + 60_000) return i;
  return null;
}
