import { memo, type ReactNode } from 'react';
import type { HistoryLine } from '@peatmoor/contract';
import { ink } from '../theme';

const WIDTH = 480;
const HEIGHT = 34;

/** One datastream over a period: mean as a line, least to greatest as a band, hatching where nothing came. */
export const DayLine = memo(function DayLine({
  line,
  from,
  to,
  label,
}: {
  line: HistoryLine | undefined;
  from: number;
  to: number;
  label: string;
}): ReactNode {
  const x = (at: number): number => ((at - from) / (to - from)) * WIDTH;
  const low = Math.min(...(line?.min ?? []));
  const high = Math.max(...(line?.max ?? []));
  const y = (value: number): number =>
    high > low ? HEIGHT - 4 - ((value - low) / (high - low)) * (HEIGHT - 8) : HEIGHT / 2;
  const runs = line === undefined ? [] : runsOf(line);
  const gaps = gapsOf(line, runs, from, to);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      width="100%"
      height={HEIGHT}
      preserveAspectRatio="none"
      role="img"
      aria-label={label}
      style={{ display: 'block' }}
    >
      <defs>
        <pattern
          id="nothing"
          width="7"
          height="7"
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(45)"
        >
          <line x1="0" y1="0" x2="0" y2="7" stroke={ink.line} strokeWidth="2" />
        </pattern>
      </defs>
      {gaps.map(([start, end]) => (
        <rect
          key={start}
          x={x(start)}
          y={2}
          width={Math.max(0, x(end) - x(start))}
          height={HEIGHT - 4}
          fill="url(#nothing)"
        />
      ))}
      {runs.map((run) => (
        <g key={run[0]}>
          <path d={bandPath(line!, run, x, y)} fill={ink.pool} opacity="0.22" />
          <path
            d={run
              .map(
                (i, n) =>
                  `${n === 0 ? 'M' : 'L'}${x(middle(line!, i)).toFixed(1)} ${y(line!.values[i]!).toFixed(1)}`,
              )
              .join('')}
            fill="none"
            stroke={ink.pool}
            strokeWidth="1.6"
            vectorEffect="non-scaling-stroke"
            strokeLinecap="round"
          />
        </g>
      ))}
    </svg>
  );
});

const middle = (line: HistoryLine, i: number): number => line.times[i]! + line.spanMs / 2;

/** Buckets in runs without a hole between them. */
function runsOf(line: HistoryLine): number[][] {
  const runs: number[][] = [];
  line.times.forEach((at, i) => {
    if (i > 0 && at - line.times[i - 1]! <= line.spanMs * 1.5) runs.at(-1)!.push(i);
    else runs.push([i]);
  });
  return runs;
}

function gapsOf(
  line: HistoryLine | undefined,
  runs: number[][],
  from: number,
  to: number,
): [number, number][] {
  if (line === undefined || runs.length === 0) return [[from, to]];
  const bounds = runs.map((run) => [line.times[run[0]!]!, line.times[run.at(-1)!]! + line.spanMs] as const);
  const gaps: [number, number][] = [];
  let last = from;
  for (const [start, end] of bounds) {
    if (start > last) gaps.push([last, start]);
    last = end;
  }
  if (to - last > line.spanMs) gaps.push([last, to]);
  return gaps;
}

function bandPath(
  line: HistoryLine,
  run: number[],
  x: (at: number) => number,
  y: (value: number) => number,
): string {
  const upper = run.map((i) => `${x(middle(line, i)).toFixed(1)} ${y(line.max[i]!).toFixed(1)}`);
  const lower = [...run]
    .reverse()
    .map((i) => `${x(middle(line, i)).toFixed(1)} ${y(line.min[i]!).toFixed(1)}`);
  return `M${[...upper, ...lower].join('L')}Z`;
}
