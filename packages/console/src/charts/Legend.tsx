import { Box, ButtonBase } from '@mui/material';
import { useSyncExternalStore, type ReactNode } from 'react';
import { isQuiet, type Display } from '@peatmoor/core';
import { serviceNow, useHeardUntil, useLive, useNewest } from '../live';
import { Hatched } from '../parts/marks';
import { showClock, showSeconds } from '../parts/time';
import { ink, MONO } from '../theme';
import { crosshair } from './crosshair';
import { nearestPoint, type ChartColumns } from './lines';
import {
  isOwnScale,
  LINE_DASHES,
  LINE_INKS,
  pointOf,
  scalesOf,
  spreadWords,
  type ChartLine,
} from './chartLine';

/** Room for a reading with its unit; and for a mean that is called so. */
const READING = '8ch';
const MEAN = '13ch';

/** The lines of a chart by name, with their newest values and how old they are, or what stands at the crosshair; a press hides one and shows it again. */
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
    <Box
      sx={{
        position: 'relative',
        display: 'flex',
        flexWrap: 'wrap',
        columnGap: 2,
        fontSize: '0.9rem',
        mb: 0.5,
      }}
    >
      {lines.map(({ label, unit, columns, hidden, under }, i) => {
        if (under) return null;
        const place = pointed === null ? null : nearestPoint(columns, pointed, within);
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
              <Swatch line={lines[i]!} place={i} />
              <span style={{ minWidth: 0 }}>{label}</span>
              {!hidden && isOwnScale(scales.get(unit)) && (
                <span style={{ color: ink.soft, fontSize: '0.85em' }}>own scale</span>
              )}
            </span>
            {!hidden && (
              // Its room is kept until it is read: else lines would wrap anew and the chart below them move.
              <span style={{ fontFamily: MONO, color: ink.soft, minWidth: lines[i]!.whole ? READING : MEAN }}>
                {pointed === null
                  ? to >= serviceNow() - GOING_MS && (
                      <NewestOf line={lines[i]!} to={to} display={displays[i]!} />
                    )
                  : place !== null && pointOf(lines[i]!, place, displays[i]!)}
              </span>
            )}
          </ButtonBase>
        );
      })}
      {pointed !== null && (
        <Pointed
          lines={lines}
          words={to - from > 86_400_000 ? showClock(pointed * 1000, 0) : showSeconds(pointed * 1000)}
          spreads={lines.map(({ columns, hidden, under }, i) =>
            hidden || under || lines[i]!.whole
              ? ''
              : spreadOf(columns, nearestPoint(columns, pointed, within), displays[i]!),
          )}
        />
      )}
    </Box>
  );
}

/** What is shown goes up to now where it ends no longer ago than this, in ms. */
const GOING_MS = 60_000;

/** The newest value of a line as it was measured, and how old it is where that is longer than usual. */
function NewestOf({ line, to, display }: { line: ChartLine; to: number; display: Display }): ReactNode {
  const { newest } = line;
  const found = useNewest(newest?.device ?? null, newest?.stream ?? '');
  const now = useHeardUntil();
  const { lostAt } = useLive();
  if (newest === null) {
    const place = lastIn(line.columns.times, to);
    return place !== null && line.columns.values[place] != null && pointOf(line, place, display);
  }
  if (found === undefined) return 'no reading yet';
  return (
    <>
      {display.reading(found.value)}
      {isQuiet(found.at, newest.intervalS, now) ? (
        <>
          {' '}
          <Hatched>since {showClock(found.at, now)}</Hatched>
        </>
      ) : (
        lostAt !== null && ` as of ${showClock(lostAt, now)}`
      )}
    </>
  );
}

/** How a line is drawn, in small. */
function Swatch({ line: { colour, hidden }, place }: { line: ChartLine; place: number }): ReactNode {
  return (
    <svg width="22" height="8" aria-hidden style={{ flex: 'none' }}>
      <line
        x1="0"
        x2="22"
        y1="4"
        y2="4"
        stroke={colour ?? ink[LINE_INKS[place % LINE_INKS.length]!]}
        strokeWidth="2"
        strokeDasharray={LINE_DASHES[place % LINE_DASHES.length]!.join(' ')}
        opacity={hidden ? 0.4 : 1}
      />
    </svg>
  );
}

/** The least and greatest of the readings that a point stands for; empty where they are one. */
function spreadOf({ low, high }: ChartColumns, place: number | null, display: Display): string {
  if (place === null || low[place] == null || low[place] === high[place]) return '';
  return spreadWords(low[place], high[place]!, display);
}

/** When the crosshair is, and what its points stand for: over the top of the chart, so that nothing moves while one points. */
function Pointed({
  lines,
  words,
  spreads,
}: {
  lines: readonly ChartLine[];
  words: string;
  spreads: readonly string[];
}): ReactNode {
  return (
    <Box
      sx={{
        position: 'absolute',
        top: '100%',
        right: 0,
        maxWidth: '100%',
        zIndex: 1,
        pointerEvents: 'none',
        display: 'flex',
        flexWrap: 'wrap',
        justifyContent: 'flex-end',
        columnGap: 1.5,
        px: 0.5,
        bgcolor: ink.paper,
        color: ink.soft,
        fontFamily: MONO,
        fontSize: '0.85rem',
      }}
    >
      {spreads.map(
        (spread, i) =>
          spread !== '' && (
            <span key={i} style={{ whiteSpace: 'nowrap' }}>
              {spreads.filter(Boolean).length > 1 && <Swatch line={lines[i]!} place={i} />} {spread}
            </span>
          ),
      )}
      <span style={{ whiteSpace: 'nowrap', color: ink.ink }}>{words}</span>
    </Box>
  );
}

/** The place of the last point up to a time (epoch ms); null where there is none. */
function lastIn(times: readonly number[], to: number): number | null {
  for (let i = times.length - 1; i >= 0; i--) if (times[i]! * 1000 <= to + 60_000) return i;
  return null;
}
