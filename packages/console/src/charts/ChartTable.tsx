import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import type { Display } from '@peatmoor/core';
import { showClock } from '../parts/time';
import { MONO } from '../theme';
import { nearestPoint } from './lines';
import { pointOf, type ChartLine } from './chartLine';

/** Rows of the table of a chart. */
const ROWS = 24;

/** What a chart shows, in numbers: for whoever hears the page, and for whoever wants to see them. */
export function ChartTable({
  title,
  lines,
  displays,
  from,
  to,
  seen,
}: {
  title: string;
  lines: readonly ChartLine[];
  displays: readonly Display[];
  from: number;
  to: number;
  /** False: only for who hears the page. */
  seen: boolean;
}): ReactNode {
  // A going period moves on by whole rows: the others stay as they are.
  const step = (to - from) / ROWS;
  const end = Math.ceil(to / step) * step;
  const times = Array.from({ length: ROWS }, (_, i) => end - step * (ROWS - i - 0.5));
  const shown = lines.flatMap((line, i) => (line.hidden || line.under ? [] : [{ line, i }]));
  return (
    <Box
      sx={
        seen
          ? { overflow: 'auto', height: '100%', '& td, & th': { pr: 2, textAlign: 'right' } }
          : { position: 'absolute', width: 1, height: 1, overflow: 'hidden', clipPath: 'inset(50%)' }
      }
    >
      <table>
        <caption style={{ textAlign: 'left', whiteSpace: seen ? 'nowrap' : 'normal' }}>
          {title}: what lies nearest to each of these times
        </caption>
        <thead>
          <tr>
            <th scope="col">Time</th>
            {shown.map(({ line, i }) => (
              <th key={i} scope="col">
                {line.label}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {times.map((at) => (
            <tr key={at}>
              <th scope="row" style={{ fontWeight: 400 }}>
                {showClock(at, to)}
              </th>
              {shown.map(({ line, i }) => {
                // Of a time at which there was nothing yet nothing is told.
                const place = nearestPoint(line.columns, at / 1000, step / 2000);
                return (
                  <td key={i} style={{ fontFamily: MONO }}>
                    {place === null ? '–' : pointOf(line, place, displays[i]!)}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </Box>
  );
}
