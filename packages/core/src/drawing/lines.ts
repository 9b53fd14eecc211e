import { extent, ticks } from 'd3-array';
import { DateTime } from 'luxon';
import type { InkName, Shape } from './shape';

/** One line of a chart: ascending times (epoch ms) and values; `spanMs` is how long each stands for, 0 for single readings. */
export interface DrawnLine {
  title: string;
  times: readonly number[];
  values: readonly number[];
  spanMs: number;
  steps: boolean;
}
export interface LinesChart {
  lines: readonly DrawnLine[];
  from: number;
  to: number;
  zone: string;
  width: number;
  height: number;
  show: (value: number) => string;
}

const LEFT = 62;
const RIGHT = 10;
const BOTTOM = 24;
const LETTERS = 13;
/** Lines differ in colour and in dash, as on the page. */
const KINDS: readonly { ink: InkName; dash?: string }[] = [
  { ink: 'pool' },
  { ink: 'heather', dash: '9 5' },
  { ink: 'moss', dash: '2 4' },
  { ink: 'rowan', dash: '12 4 2 4' },
];
/** A gap is longer than so many spans: it is not bridged. */
const GAP = 3;

/** Lines on one scale with their names above. */
export function lineShapes({ lines, from, to, zone, width, height, show }: LinesChart): Shape[] {
  const shapes: Shape[] = [];
  const names = lines.length > 1 ? lines : [];
  const top = 8 + names.length * (LETTERS + 5);
  const [low = 0, high = 1] = extent(lines.flatMap(({ values }) => extent(values) as number[]));
  const margin = (high - low || Math.abs(high) || 1) * 0.06;
  const [bottom, peak] = [low - margin, high + margin];
  const x = (at: number): number => LEFT + ((at - from) / Math.max(1, to - from)) * (width - LEFT - RIGHT);
  const y = (value: number): number =>
    height - BOTTOM - ((value - bottom) / (peak - bottom)) * (height - top - BOTTOM);
  for (const [i, { title }] of names.entries()) {
    const { ink, dash } = KINDS[i % KINDS.length]!;
    const line = 12 + i * (LETTERS + 5);
    shapes.push(
      {
        is: 'line',
        x1: LEFT,
        x2: LEFT + 26,
        y1: line - 4,
        y2: line - 4,
        stroke: ink,
        strokeWidth: 2,
        ...(dash !== undefined && { dash }),
      },
      { is: 'text', x: LEFT + 34, y: line, anchor: 'start', size: LETTERS, fill: 'ink', text: title },
    );
  }
  for (const value of ticks(bottom, peak, Math.max(2, Math.round((height - top) / 45))))
    shapes.push(
      { is: 'line', x1: LEFT, x2: width - RIGHT, y1: y(value), y2: y(value), stroke: 'line' },
      {
        is: 'text',
        x: LEFT - 7,
        y: y(value) + 4.5,
        anchor: 'end',
        size: LETTERS,
        mono: true,
        fill: 'soft',
        text: show(value),
      },
    );
  const format = to - from > 36 * 3_600_000 ? 'd LLL' : 'HH:mm';
  for (const part of [0, 0.25, 0.5, 0.75]) {
    const at = from + part * (to - from);
    shapes.push({
      is: 'text',
      x: x(at),
      y: height - 7,
      anchor: 'start',
      size: LETTERS,
      fill: 'soft',
      text: DateTime.fromMillis(at, { zone }).toFormat(format),
    });
  }
  for (const [i, { times, values, spanMs, steps }] of lines.entries()) {
    const { ink, dash } = KINDS[i % KINDS.length]!;
    const d = times
      .map((at, k) => {
        const [px, py] = [x(at + spanMs / 2).toFixed(1), y(values[k]!).toFixed(1)];
        const isGap = k === 0 || (spanMs > 0 && at - times[k - 1]! > GAP * spanMs);
        if (isGap) return `M${px} ${py}`;
        return steps ? `H${px}V${py}` : `L${px} ${py}`;
      })
      .join('');
    shapes.push({
      is: 'path',
      d,
      fill: 'none',
      stroke: ink,
      strokeWidth: 2,
      ...(dash !== undefined && { dash }),
    });
  }
  return shapes;
}
