import { extent, ticks } from 'd3-array';
import { DateTime, Duration, type DurationLikeObject } from 'luxon';
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

/** How far labels of times are apart at least, in px; and the steps they stand at. */
const MARK_PX = 90;
const DAY_MINUTES = 1440;
const STEPS: readonly DurationLikeObject[] = [
  { minutes: 1 },
  { minutes: 5 },
  { minutes: 15 },
  { hours: 1 },
  { hours: 3 },
  { hours: 6 },
  { hours: 12 },
  { days: 1 },
  { days: 2 },
  { days: 7 },
  { months: 1 },
  { months: 3 },
  { years: 1 },
];

/** Round times of a zone in a span, about as many as there is room for: hours by the clock, and the date at midnight. */
export function timeMarks(
  from: number,
  to: number,
  zone: string,
  most: number,
): { at: number; label: string }[] {
  const room = Math.max(1, most);
  const step =
    STEPS.find((one) => (to - from) / Duration.fromObject(one).toMillis() <= room) ?? STEPS.at(-1)!;
  const minutes = Duration.fromObject(step).as('minutes');
  const isLong = step.months !== undefined || step.years !== undefined;
  const start = DateTime.fromMillis(from, { zone }).startOf(isLong ? 'year' : 'day');
  const markAt = (k: number): DateTime => {
    if (minutes >= DAY_MINUTES)
      return start.plus(Object.fromEntries(Object.entries(step).map(([unit, n]) => [unit, n * k])));
    // By the clock, also on the day it is put forward or back.
    const minute = (k * minutes) % DAY_MINUTES;
    return start
      .plus({ days: Math.floor((k * minutes) / DAY_MINUTES) })
      .set({ hour: Math.floor(minute / 60), minute: minute % 60 });
  };
  const marks: { at: number; label: string }[] = [];
  for (let k = 0; ; k++) {
    const mark = markAt(k);
    const at = mark.toMillis();
    if (!(at <= to)) return marks;
    if (at < from || at <= (marks.at(-1)?.at ?? -Infinity)) continue;
    const isMidnight = mark.hour === 0 && mark.minute === 0;
    const format = step.years !== undefined ? 'yyyy' : isLong ? 'LLL yy' : isMidnight ? 'd LLL' : 'HH:mm';
    marks.push({ at, label: mark.toFormat(format) });
  }
}

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
  for (const [i, { times, values, spanMs, steps }] of lines.entries()) {
    const { ink, dash } = KINDS[i % KINDS.length]!;
    let d = '';
    for (const [k, at] of times.entries()) {
      const [px, py] = [x(at + spanMs / 2), y(values[k]!)];
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
