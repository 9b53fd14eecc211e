import { extent, ticks } from 'd3-array';
import { DateTime } from 'luxon';
import { DAY_MS, HOUR_MS } from './rollup';

/** What a chart of the readings around an event shows. */
export interface EventChart {
  title: string;
  /** Ascending times (epoch ms), and the value of each. */
  times: readonly number[];
  values: readonly number[];
  from: number;
  to: number;
  /** Lines across: limits of the rule. */
  limits: readonly number[];
  openedAt: number;
  closedAt: number | null;
  zone: string;
  show: (value: number) => string;
  /** A line that goes on between readings, or one that stays until the next. */
  steps: boolean;
}

const LEAST_AROUND_MS = 2 * HOUR_MS;
const MOST_AROUND_MS = 2 * DAY_MS;

/** The time around an event that is shown: as long before as it lasts, at least two hours, at most two days. Epoch ms. */
export function aroundEvent(
  { openedAt, closedAt }: { openedAt: number; closedAt: number | null },
  now: number,
): { from: number; to: number } {
  const end = closedAt ?? now;
  const before = Math.min(MOST_AROUND_MS, Math.max(LEAST_AROUND_MS, end - openedAt));
  return { from: openedAt - before, to: Math.min(now, end + before / 4) };
}

const WIDTH = 640;
const HEIGHT = 320;
const LEFT = 104;
const RIGHT = 14;
const TOP = 44;
const BOTTOM = 44;
const INK = '#2C2420';
const POOL = '#2B5F6E';
const ROWAN = '#A8381C';
const PAPER = '#F6F2E9';

const escape = (text: string): string => text.replace(/[&<>"]/g, (letter) => `&#${letter.charCodeAt(0)};`);

/** The readings around an event as a drawing of 640 × 320 (SVG 1.1), with the limits and when it was open. */
export function drawEventChart(chart: EventChart): string {
  const { times, values, from, to, limits, openedAt, closedAt, zone, show, steps, title } = chart;
  const [low = 0, high = 1] = extent([...values, ...limits]);
  const margin = (high - low || Math.abs(high) || 1) * 0.08;
  const [bottom, top] = [low - margin, high + margin];
  const x = (at: number): number => LEFT + ((at - from) / Math.max(1, to - from)) * (WIDTH - LEFT - RIGHT);
  const y = (value: number): number =>
    HEIGHT - BOTTOM - ((value - bottom) / (top - bottom)) * (HEIGHT - TOP - BOTTOM);
  const n = (value: number): string => value.toFixed(1);
  const path = times
    .map((at, i) => {
      const place = `${n(x(at))} ${n(y(values[i]!))}`;
      if (i === 0) return `M${place}`;
      return steps ? `H${n(x(at))}V${n(y(values[i]!))}` : `L${place}`;
    })
    .join('');
  const scale = ticks(bottom, top, 4).map(
    (value) =>
      `<line x1="${LEFT}" x2="${WIDTH - RIGHT}" y1="${n(y(value))}" y2="${n(y(value))}" stroke="${INK}" stroke-opacity="0.15"/>
<text x="${LEFT - 8}" y="${n(y(value) + 7)}" text-anchor="end">${escape(show(value))}</text>`,
  );
  const hours = [0, 0.25, 0.5, 0.75].map((part) => {
    const at = from + part * (to - from);
    const text = DateTime.fromMillis(at, { zone }).toFormat(
      to - from > 86_400_000 * 1.5 ? 'd LLL HH:mm' : 'HH:mm',
    );
    return `<text x="${n(x(at))}" y="${HEIGHT - 12}">${text}</text>`;
  });
  const crossed = limits
    .filter((limit) => limit > bottom && limit < top)
    .map(
      (limit) =>
        `<line x1="${LEFT}" x2="${WIDTH - RIGHT}" y1="${n(y(limit))}" y2="${n(y(limit))}" stroke="${ROWAN}" stroke-width="1.5" stroke-dasharray="7 4"/>`,
    );
  const begin = Math.max(x(from), x(openedAt));
  const end = Math.min(x(to), x(closedAt ?? to));
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${WIDTH}" height="${HEIGHT}" viewBox="0 0 ${WIDTH} ${HEIGHT}" font-family="Atkinson Hyperlegible Next" font-size="21" fill="${INK}">
<rect width="${WIDTH}" height="${HEIGHT}" fill="${PAPER}"/>
<text x="${LEFT}" y="26" font-size="22">${escape(title)}</text>
<rect x="${n(begin)}" y="${TOP}" width="${n(Math.max(1, end - begin))}" height="${HEIGHT - TOP - BOTTOM}" fill="${ROWAN}" fill-opacity="0.1"/>
${scale.join('\n')}
${crossed.join('\n')}
<line x1="${n(begin)}" x2="${n(begin)}" y1="${TOP}" y2="${HEIGHT - BOTTOM}" stroke="${ROWAN}"/>
<path d="${path}" fill="none" stroke="${POOL}" stroke-width="2" stroke-linejoin="round"/>
${hours.join('\n')}
</svg>`;
}
