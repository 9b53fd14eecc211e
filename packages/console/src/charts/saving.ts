import { lineName, sheetCell, type ChartDraws } from '@peatmoor/core';
import { isOwnScale, scalesOf, type ChartLine } from './chartLine';
import { partOf, type ChartColumns } from './lines';
import type { ScaleRange } from './scale';

/** Everything of a chart that is saved: what is seen of it. */
export interface SavedChart {
  title: string;
  lines: readonly ChartLine[];
  draws: ChartDraws;
  /** Fixed bounds of the left and the right scale. */
  range: ScaleRange;
  rightRange: ScaleRange;
  from: number;
  to: number;
}

export const seenLines = ({ lines }: SavedChart): ChartLine[] => lines.filter(({ hidden }) => !hidden);

/** Whether a point of it stands for several readings that are not the same. */
export const hasSpread = ({ values, low, high }: ChartColumns): boolean =>
  values.some((value, i) => value !== null && low[i] !== high[i]);

/** Digits of a mean that is saved. What came is saved as it came. */
const DIGITS = 10;

/**
 * What a chart shows, as CSV: a row a time, times in ISO 8601, and a column a line; three of one whose points stand for several
 * readings, with the least and the greatest of them.
 */
export function chartCsv(chart: SavedChart): string {
  const all = seenLines(chart).flatMap(({ label, unit, columns }) => {
    const { times, values, low, high } = partOf(columns, chart.from / 1000, chart.to / 1000);
    const title = lineName(label, unit);
    const spread = hasSpread({ times, values, low, high });
    const column = (name: string, of: readonly (number | null)[]) => ({ name, times, values: of });
    const rounded = values.map((value, i) =>
      value === null || low[i] === high[i] ? value : Number(value.toPrecision(DIGITS)),
    );
    return [
      column(title, rounded),
      ...(spread ? [column(`${title} lowest`, low), column(`${title} highest`, high)] : []),
    ];
  });
  const rows = new Map<number, (number | null)[]>();
  all.forEach(({ times, values }, i) =>
    times.forEach((at, n) => {
      if (values[n] == null) return;
      const row = rows.get(at) ?? all.map(() => null);
      row[i] = values[n];
      rows.set(at, row);
    }),
  );
  return [
    ['time', ...all.map(({ name }) => sheetCell(name))].join(','),
    ...[...rows.entries()]
      .sort(([a], [b]) => a - b)
      .map(([at, values]) =>
        [new Date(at * 1000).toISOString(), ...values.map((value) => value ?? '')].join(','),
      ),
    '',
  ].join('\r\n');
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
  const scales = scalesOf(chart.lines);
  const names = seenLines(chart).map(({ label, unit }) =>
    lineName(label, unit, isOwnScale(scales.get(unit))),
  );
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
