import { extent, ticks } from 'd3-array';
import { datesIn } from '../showing/dates';
import { roundTimes } from '../showing/roundTimes';
import type { InkName, Shape } from './shape';

/** One line of a chart: ascending times (epoch ms) and values; `spanMs` is how long each stands for, 0 for single readings. */
export interface DrawnLine {
  title: string;
  times: readonly number[];
  values: readonly number[];
  spanMs: number;
  steps: boolean;
  /** As it is shown; lines of the first line's unit share the scale that is written, others have one of their own. */
  unit: string;
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
const DOT = 2.5;
/** Lines differ in colour and in dash, as on the page. */
const KINDS: readonly { ink: InkName; dash?: string }[] = [
  { ink: 'pool' },
  { ink: 'heather', dash: '9 5' },
  { ink: 'moss', dash: '2 4' },
  { ink: 'rowan', dash: '12 4 2 4' },
];
/** A gap is longer than so many spans: it is not bridged. */
const GAP = 3;

/** How far labels of times are apart at least, in px. */
const MARK_PX = 90;
/** Round times of a zone in a span, about as many as there is room for: hours by the clock, and the date at midnight. */
export function timeMarks(
  from: number,
  to: number,
  zone: string,
  most: number,
): { at: number; label: string }[] {
  const dates = datesIn('en-GB', zone);
  const yearOf = (at: number): string => String(dates.dateOf(at).getFullYear());
  const words = {
    minute: dates.clock,
    day: dates.day,
    month: (at: number) => `${dates.month(at)} ${yearOf(at).slice(-2)}`,
    year: yearOf,
  };
  return roundTimes(from, to, most, dates).map(({ at, begins }) => ({ at, label: words[begins](at) }));
}

/** Lines with their names above, and the scale of the first one's unit at their left. */
export function lineShapes({ lines, from, to, zone, width, height, show }: LinesChart): Shape[] {
  const shapes: Shape[] = [];
  const names = lines.length > 1 ? lines : [];
  const top = 8 + names.length * (LETTERS + 5);
  const scaleOf = (unit: string): [bottom: number, peak: number] => {
    const ofUnit = lines.filter((one) => one.unit === unit);
    const [low = 0, high = 1] = extent(ofUnit.flatMap(({ values }) => extent(values) as number[]));
    const margin = (high - low || Math.abs(high) || 1) * 0.06;
    return [low - margin, high + margin];
  };
  const written = lines[0]?.unit ?? '';
  const scales = new Map([written, ...lines.map(({ unit }) => unit)].map((unit) => [unit, scaleOf(unit)]));
  const x = (at: number): number => LEFT + ((at - from) / Math.max(1, to - from)) * (width - LEFT - RIGHT);
  const y = (value: number, unit = written): number => {
    const [bottom, peak] = scales.get(unit)!;
    return height - BOTTOM - ((value - bottom) / (peak - bottom)) * (height - top - BOTTOM);
  };
  for (const [i, { title, unit }] of names.entries()) {
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
      {
        is: 'text',
        x: LEFT + 34,
        y: line,
        anchor: 'start',
        size: LETTERS,
        fill: 'ink',
        text: lineName(title, unit, unit !== written),
      },
    );
  }
  for (const value of ticks(...scales.get(written)!, Math.max(2, Math.round((height - top) / 45))))
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
  for (const { at, label } of timeMarks(from, to, zone, Math.floor((width - LEFT - RIGHT) / MARK_PX)))
    shapes.push({
      is: 'text',
      x: x(at),
      y: height - 7,
      anchor: 'middle',
      size: LETTERS,
      fill: 'soft',
      text: label,
    });
  for (const [i, { times, values, spanMs, steps, unit }] of lines.entries()) {
    const { ink, dash } = KINDS[i % KINDS.length]!;
    let d = '';
    for (const [k, at] of times.entries()) {
      const [px, py] = [x(at + spanMs / 2), y(values[k]!, unit)];
      const isApart = (one: number | undefined): boolean =>
        one === undefined || (spanMs > 0 && Math.abs(at - one) > GAP * spanMs);
      const isFirst = isApart(times[k - 1]);
      if (isFirst) d += `M${px.toFixed(1)} ${py.toFixed(1)}`;
      else d += steps ? `H${px.toFixed(1)}V${py.toFixed(1)}` : `L${px.toFixed(1)} ${py.toFixed(1)}`;
      // No line leads to one that stands by itself: it is a dot.
      if (isFirst && isApart(times[k + 1])) shapes.push({ is: 'circle', cx: px, cy: py, r: DOT, fill: ink });
    }
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

/** The name of a line with its unit, and that it is on no scale that is written where that is so. */
export function lineName(title: string, unit: string, hasOwnScale = false): string {
  const name = unit === '' ? title : `${title} (${unit})`;
  return hasOwnScale ? `${name}, own scale` : name;
}
