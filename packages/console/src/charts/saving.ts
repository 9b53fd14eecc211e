import { graduations, sheetCell } from '@peatmoor/core';
import { partOf } from './lines';
import { rightUnit, type ChartLine } from './chartLine';
import { dates } from '../parts/time';

/** Everything of a chart that is saved: what is seen of it. */
export interface SavedChart {
  title: string;
  lines: readonly ChartLine[];
  from: number;
  to: number;
}

const seen = ({ lines }: SavedChart): ChartLine[] => lines.filter(({ hidden }) => !hidden);

/** What a chart shows, as CSV: a row a time, a column a line, times in ISO 8601. */
export function chartCsv(chart: SavedChart): string {
  const lines = seen(chart);
  const parts = lines.map(({ columns }) => partOf(columns, chart.from / 1000, chart.to / 1000));
  const rows = new Map<number, (number | null)[]>();
  parts.forEach(({ times, values }, i) =>
    times.forEach((at, n) => {
      if (values[n] == null) return;
      const row = rows.get(at) ?? lines.map(() => null);
      row[i] = values[n];
      rows.set(at, row);
    }),
  );
  const head = ['time', ...lines.map(({ label, unit }) => sheetCell(unit ? `${label} (${unit})` : label))];
  return [
    head.join(','),
    ...[...rows.entries()]
      .sort(([a], [b]) => a - b)
      .map(([at, values]) =>
        [new Date(at * 1000).toISOString(), ...values.map((value) => value ?? '')].join(','),
      ),
    '',
  ].join('\r\n');
}

const WIDTH = 1000;
const HEIGHT = 460;
const EDGE = { left: 64, right: 64, top: 70, bottom: 40 };
const INKS = ['#2B5F6E', '#74487A', '#56682C', '#A8381C', '#2C2420', '#6B5F57'];
const DASHES = ['', '7 4', '2 3', '10 3 2 3'];

/** What a chart shows, as a drawing that stands by itself (SVG 1.1). */
export function chartSvg(chart: SavedChart): string {
  const { title, from, to } = chart;
  const lines = seen(chart);
  const right = rightUnit(lines);
  const width = WIDTH - EDGE.left - EDGE.right;
  const height = HEIGHT - EDGE.top - EDGE.bottom;
  const parts = lines.map(({ columns }) => partOf(columns, from / 1000, to / 1000));
  const x = (at: number): number => EDGE.left + ((at * 1000 - from) / (to - from)) * width;
  const scaleOf = (isRight: boolean) => {
    const values = parts.flatMap(({ low, high }, i) =>
      (right !== null && lines[i]!.unit === right) === isRight ? [...low, ...high] : [],
    );
    let [least, most] = [Infinity, -Infinity];
    for (const value of values)
      if (value !== null) {
        least = Math.min(least, value);
        most = Math.max(most, value);
      }
    if (!Number.isFinite(least)) [least, most] = [0, 1];
    if (least === most) [least, most] = [least - 1, most + 1];
    const air = (most - least) * 0.06;
    return { min: least - air, max: most + air };
  };
  const scales = [scaleOf(false), scaleOf(true)] as const;
  const y = (value: number, isRight: boolean): number => {
    const { min, max } = scales[isRight ? 1 : 0];
    return EDGE.top + ((max - value) / (max - min)) * height;
  };
  const n = (value: number): string => String(Math.round(value * 10) / 10);
  const text = (at: [number, number], words: string, more = ''): string =>
    `<text x="${n(at[0])}" y="${n(at[1])}" ${more}>${escaped(words)}</text>`;
  const times = graduations(0, width, 6).map((place) => from + (place / width) * (to - from));
  const isLong = to - from > 3 * 86_400_000;
  const date = (at: number): string => (isLong ? dates().day(at) : dates().clock(at));
  const grid = graduations(scales[0].min, scales[0].max, 6);
  const body = [
    text([EDGE.left, 26], title, 'font-size="18" font-weight="700"'),
    ...lines.map(({ label, unit }, i) => {
      const place = EDGE.left + (i % 4) * 220;
      const row = 46 + Math.floor(i / 4) * 16;
      return (
        `<line x1="${place}" x2="${place + 22}" y1="${row - 4}" y2="${row - 4}" stroke="${lines[i]!.colour ?? INKS[i % 6]}" stroke-width="2" stroke-dasharray="${DASHES[i % 4]}"/>` +
        text([place + 28, row], unit ? `${label} (${unit})` : label)
      );
    }),
    ...grid.flatMap((mark) => [
      `<line x1="${EDGE.left}" x2="${WIDTH - EDGE.right}" y1="${n(y(mark, false))}" y2="${n(y(mark, false))}" stroke="#2C242033"/>`,
      text([EDGE.left - 8, y(mark, false) + 4], dates().number(mark), 'text-anchor="end"'),
    ]),
    ...(right === null
      ? []
      : graduations(scales[1].min, scales[1].max, 6).map((mark) =>
          text([WIDTH - EDGE.right + 8, y(mark, true) + 4], dates().number(mark)),
        )),
    ...times.map((at) => text([x(at / 1000), HEIGHT - 14], date(at), 'text-anchor="middle"')),
    ...parts.map((part, i) => {
      const isRight = right !== null && lines[i]!.unit === right;
      let path = '';
      let isUp = true;
      part.times.forEach((at, place) => {
        const value = part.values[place];
        if (value == null) {
          isUp = true;
          return;
        }
        path += `${isUp ? 'M' : 'L'}${n(x(at))} ${n(y(value, isRight))}`;
        isUp = false;
      });
      return `<path d="${path}" fill="none" stroke="${lines[i]!.colour ?? INKS[i % 6]}" stroke-width="1.75" stroke-dasharray="${DASHES[i % 4]}"/>`;
    }),
  ];
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${WIDTH}" height="${HEIGHT}" viewBox="0 0 ${WIDTH} ${HEIGHT}" font-family="sans-serif" font-size="13" fill="#2C2420"><rect width="100%" height="100%" fill="#F6F2E9"/>${body.join('')}</svg>\n`;
}

function escaped(text: string): string {
  return text
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;');
}

/** What a chart shows, as a picture: its canvas on paper, with its title and the names of its lines. */
export function chartPng(
  canvas: HTMLCanvasElement,
  chart: SavedChart,
  paper: string,
  inkColour: string,
): Promise<Blob | null> {
  const scale = devicePixelRatio;
  const head = 52 * scale;
  const picture = document.createElement('canvas');
  picture.width = canvas.width;
  picture.height = canvas.height + head;
  const context = picture.getContext('2d');
  if (context === null) return Promise.resolve(null);
  context.fillStyle = paper;
  context.fillRect(0, 0, picture.width, picture.height);
  context.fillStyle = inkColour;
  context.font = `700 ${17 * scale}px sans-serif`;
  context.fillText(chart.title, 10 * scale, 22 * scale);
  context.font = `${13 * scale}px sans-serif`;
  const names = seen(chart).map(({ label, unit }) => (unit ? `${label} (${unit})` : label));
  context.fillText(names.join(' · '), 10 * scale, 42 * scale);
  context.drawImage(canvas, 0, head);
  return new Promise((resolve) => picture.toBlob(resolve, 'image/png'));
}

/** Hands a file to whoever looks. */
export function saveFile(name: string, content: Blob | string, type: string): void {
  const url = URL.createObjectURL(content instanceof Blob ? content : new Blob([content], { type }));
  const link = document.createElement('a');
  link.href = url;
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(url), 10_000);
}
