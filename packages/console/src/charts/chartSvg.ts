import { graduations, lineName } from '@peatmoor/core';
import { roundTimes } from '../parts/roundTimes';
import { dates } from '../parts/time';
import {
  isOwnScale,
  LINE_DASHES,
  placeOf,
  rightUnit,
  scalesOf,
  type ChartLine,
  type ScaleName,
} from './chartLine';
import { partOf, runsOf, type ChartColumns } from './lines';
import { hasSpread, seenLines, type SavedChart } from './saving';
import { scaleRange, type ScaleRange } from './scale';

const WIDTH = 1000;
const HEIGHT = 460;
const EDGE = { left: 64, right: 64, top: 70, bottom: 40 };
/** The inks of lines by day: a drawing that stands by itself knows no page. */
const INKS = ['#2B5F6E', '#74487A', '#56682C', '#A8381C', '#2C2420', '#6B5F57'];
const PLACE = { width: WIDTH - EDGE.left - EDGE.right, height: HEIGHT - EDGE.top - EDGE.bottom };
/** About how wide a letter is, in px, and how wide a bar at the most. */
const LETTER_PX = 7;
const WIDEST_BAR_PX = 40;

type Shape = ChartColumns & { line: ChartLine; ink: string; dash: string; scale: ScaleName };

/** What a chart shows, as a drawing that stands by itself (SVG 1.1): also the least and greatest around each line. */
export function chartSvg(chart: SavedChart): string {
  const { title, from, to } = chart;
  const lines = seenLines(chart);
  const scales = scalesOf(lines);
  const right = rightUnit(lines);
  const shapes = lines.map((line): Shape => {
    const place = placeOf(chart.lines, chart.lines.indexOf(line));
    return {
      ...partOf(line.columns, from / 1000, to / 1000),
      line,
      ink: line.colour ?? INKS[place % INKS.length]!,
      dash: line.under ? '3 3' : LINE_DASHES[place % LINE_DASHES.length]!.join(' '),
      scale: scales.get(line.unit)!,
    };
  });
  const x = (at: number): number => EDGE.left + ((at * 1000 - from) / (to - from)) * PLACE.width;
  const bounds = new Map(
    (['y', 'right', ...scales.values()] as const).map((name) => [name, scaleOf(chart, shapes, name)]),
  );
  const yOf = ({ scale }: { scale: ScaleName }): Along => {
    const { min, max } = bounds.get(scale)!;
    return (value) => EDGE.top + ((max - value) / (max - min || 1)) * PLACE.height;
  };
  const [y, yRight] = [yOf({ scale: 'y' }), yOf({ scale: 'right' })];
  const marksOf = ({ min, max }: Scale): number[] => graduations(min, max, 6);
  const body = [
    text([EDGE.left, 26], title, 'font-size="18" font-weight="700"'),
    ...names(shapes),
    text([EDGE.left - 8, EDGE.top - 10], lines[0]?.unit ?? '', 'text-anchor="end"'),
    text([WIDTH - EDGE.right + 8, EDGE.top - 10], right ?? ''),
    ...marksOf(bounds.get('y')!).flatMap((mark) => [
      `<line x1="${EDGE.left}" x2="${WIDTH - EDGE.right}" y1="${n(y(mark))}" y2="${n(y(mark))}" stroke="#2C242033"/>`,
      text([EDGE.left - 8, y(mark) + 4], dates().number(mark), 'text-anchor="end"'),
    ]),
    ...(right === null ? [] : marksOf(bounds.get('right')!)).map((mark) =>
      text([WIDTH - EDGE.right + 8, yRight(mark) + 4], dates().number(mark)),
    ),
    ...roundTimes(from, to, 8).map(({ at, words }) =>
      text([x(at / 1000), HEIGHT - 14], words, 'text-anchor="middle"'),
    ),
    `<g clip-path="url(#place)">`,
    ...shapes.filter(hasSpread).map((shape) => spread(shape, x, yOf(shape))),
    ...shapes.flatMap((shape) => drawn(shape, chart.draws, x, yOf(shape))),
    '</g>',
  ];
  return (
    `<svg xmlns="http://www.w3.org/2000/svg" width="${WIDTH}" height="${HEIGHT}" viewBox="0 0 ${WIDTH} ${HEIGHT}" font-family="sans-serif" font-size="13" fill="#2C2420">` +
    `<clipPath id="place"><rect x="${EDGE.left}" y="${EDGE.top}" width="${PLACE.width}" height="${PLACE.height}"/></clipPath>` +
    `<rect width="100%" height="100%" fill="#F6F2E9"/>${body.join('')}</svg>\n`
  );
}

interface Scale {
  min: number;
  max: number;
}

function scaleOf({ draws, range, rightRange }: SavedChart, shapes: readonly Shape[], name: ScaleName): Scale {
  let [least, most] = [Infinity, -Infinity];
  for (const shape of shapes)
    if (shape.scale === name)
      for (const value of [...shape.low, ...shape.high])
        if (value !== null) {
          least = Math.min(least, value);
          most = Math.max(most, value);
        }
  const some = Number.isFinite(least);
  const fixed: ScaleRange = name === 'y' ? range : name === 'right' ? rightRange : [null, null];
  const [min, max] = scaleRange(some ? least : null, some ? most : null, fixed, draws);
  return { min, max };
}

/** The names of the lines, one after the other, as far as they go in a row. */
function names(shapes: readonly Shape[]): string[] {
  let [place, row] = [EDGE.left, 46];
  return shapes.map(({ line: { label, unit }, scale, ink, dash }) => {
    const words = lineName(label, unit, isOwnScale(scale));
    const wide = 44 + words.length * LETTER_PX;
    if (place > EDGE.left && place + wide > WIDTH - EDGE.right) [place, row] = [EDGE.left, row + 16];
    const at = place;
    place += wide;
    return (
      `<line x1="${at}" x2="${at + 22}" y1="${row - 4}" y2="${row - 4}" stroke="${ink}" stroke-width="2" stroke-dasharray="${dash}"/>` +
      text([at + 28, row], words)
    );
  });
}

type Along = (value: number) => number;

/** From the least to the greatest of each point. */
function spread(shape: Shape, x: Along, y: Along): string {
  const { times, low, high } = shape;
  const path = runsOf(shape)
    .map(([start, end]) => {
      const places = Array.from({ length: end - start }, (_, i) => start + i);
      const corner = (i: number, value: number): string => `${n(x(times[i]!))} ${n(y(value))}`;
      const over = places.map((i) => corner(i, high[i]!));
      const back = places.reverse().map((i) => corner(i, low[i]!));
      return `M${[...over, ...back].join('L')}Z`;
    })
    .join('');
  return `<path d="${path}" data-spread="" fill="${shape.ink}" fill-opacity="0.22" stroke="none"/>`;
}

/** A line as the chart draws it. */
function drawn(shape: Shape, draws: SavedChart['draws'], x: Along, y: Along): string[] {
  const { times, values, ink, dash, line } = shape;
  const known = times.flatMap((at, i) => (values[i] == null ? [] : [{ at: x(at), value: values[i] }]));
  if (draws === 'points')
    return known.map(({ at, value }) => `<circle cx="${n(at)}" cy="${n(y(value))}" r="2.2" fill="${ink}"/>`);
  if (draws === 'bars') {
    const closest = Math.min(...known.slice(1).map(({ at }, i) => at - known[i]!.at), WIDEST_BAR_PX / 0.8);
    const wide = Math.max(1, closest * 0.8);
    return known.map(({ at, value }) => {
      const [top, bottom] = [Math.min(y(value), y(0)), Math.max(y(value), y(0))];
      return `<rect x="${n(at - wide / 2)}" y="${n(top)}" width="${n(wide)}" height="${n(Math.max(1, bottom - top))}" fill="${ink}" fill-opacity="0.6"/>`;
    });
  }
  const isStepped = draws === 'step' || line.stepped;
  const runs = runsOf(shape).map(([start, end]) =>
    times
      .slice(start, end)
      .map((at, i) => {
        const height = n(y(values[start + i]!));
        return i === 0
          ? `M${n(x(at))} ${height}`
          : isStepped
            ? `H${n(x(at))}V${height}`
            : `L${n(x(at))} ${height}`;
      })
      .join(''),
  );
  const area = runsOf(shape).map(
    ([start], i) => `${runs[i]!}V${n(EDGE.top + PLACE.height)}H${n(x(times[start]!))}Z`,
  );
  // A reading with a gap on both sides has no line: it is a point.
  const alone = runsOf(shape).filter(([start, end]) => end - start === 1);
  return [
    ...(draws === 'area' && !line.under
      ? [`<path d="${area.join('')}" fill="${ink}" fill-opacity="0.15" stroke="none"/>`]
      : []),
    `<path d="${runs.join('')}" fill="none" stroke="${ink}" stroke-width="${line.under ? 1.25 : 1.75}" stroke-opacity="${line.under ? 0.44 : 1}" stroke-dasharray="${dash}"/>`,
    ...alone.map(([i]) => `<circle cx="${n(x(times[i]!))}" cy="${n(y(values[i]!))}" r="2.5" fill="${ink}"/>`),
  ];
}

const n = (value: number): string => String(Math.round(value * 10) / 10);
const text = ([at, height]: [number, number], words: string, more = ''): string =>
  `<text x="${n(at)}" y="${n(height)}" ${more}>${escaped(words)}</text>`;

function escaped(text: string): string {
  return text
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;');
}
