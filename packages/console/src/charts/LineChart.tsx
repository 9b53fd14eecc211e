import { useColorScheme } from '@mui/material/styles';
import { Box } from '@mui/material';
import { useEffect, useRef, type ReactNode } from 'react';
import uPlot from 'uplot';
import { ink } from '../theme';
import { crosshair } from './crosshair';
import type { ChartColumns } from './lines';

export interface ChartLine {
  label: string;
  columns: ChartColumns;
  stepped: boolean;
  /** Its own colour; null for the next of the palette. */
  colour: string | null;
}

/** Inks and strokes that tell lines apart without colour too. */
export const LINE_INKS = ['pool', 'heather', 'moss', 'rowan', 'ink', 'soft'] as const;
export const LINE_DASHES = [[], [7, 4], [2, 3], [10, 3, 2, 3]] as const;

/** How strongly the band from the least to the greatest is drawn, in hexadecimal. */
const BAND_ALPHA = '38';

const colour = (name: (typeof LINE_INKS)[number] | 'line'): string =>
  getComputedStyle(document.documentElement).getPropertyValue(`--mui-palette-inks-${name}`).trim();

/** Lines over a period, drawn to fill its box. */
export function LineChart({
  lines,
  from,
  to,
  unit,
  range,
}: {
  lines: ChartLine[];
  from: number;
  to: number;
  unit: string;
  range: [number | null, number | null];
}): ReactNode {
  const box = useRef<HTMLDivElement>(null);
  const plot = useRef<uPlot | null>(null);
  const { mode } = useColorScheme();
  const shape =
    lines.map(({ label, stepped, colour: own }) => `${label}/${stepped}/${own}`).join('|') +
    unit +
    range.join();
  const data = useRef<{ lines: ChartLine[]; from: number; to: number }>({ lines, from, to });
  data.current = { lines, from, to };

  useEffect(() => {
    const element = box.current;
    if (element === null) return;
    const axis = {
      stroke: () => colour('soft'),
      grid: { stroke: () => colour('line'), width: 1 },
      ticks: { stroke: () => colour('line'), width: 1, size: 4 },
      font: '13px "Atkinson Hyperlegible Next Variable"',
    };
    const chart = new uPlot(
      {
        width: element.clientWidth || 300,
        height: element.clientHeight || 160,
        legend: { show: false },
        cursor: { y: false, points: { size: 6 }, drag: { x: false, y: false } },
        bands: data.current.lines.map(({ colour: own }, i) => ({
          series: [i * 3 + 3, i * 3 + 2],
          fill: () => (own ?? colour(LINE_INKS[i % LINE_INKS.length]!)) + BAND_ALPHA,
        })),
        hooks: {
          // Only the chart under the pointer says where it is; the others follow.
          setCursor: [
            (self) => {
              if (!element.matches(':hover')) return;
              const { left } = self.cursor;
              crosshair.move(left === undefined || left < 0 ? null : self.posToVal(left, 'x'));
            },
          ],
        },
        scales: {
          x: { time: true, range: () => [data.current.from / 1000, data.current.to / 1000] },
          y: { range: (_self, low, high) => yRange(low, high, range) },
        },
        axes: [
          {
            ...axis,
            space: 70,
            size: 28,
            values: [
              [86_400 * 28, '{MMM} {YYYY}', null, null, null, null, null, null, 1],
              [86_400, '{D} {MMM}', null, null, null, null, null, null, 1],
              [3600, '{HH}:{mm}', '\n{D} {MMM}', null, null, null, null, null, 1],
              [60, '{HH}:{mm}', null, null, null, null, null, null, 1],
              [1, '{HH}:{mm}:{ss}', null, null, null, null, null, null, 1],
            ] as never,
          },
          { ...axis, size: 52, space: 30 },
        ],
        series: [
          {},
          ...data.current.lines.flatMap(({ label, stepped, colour: own }, i) => {
            const stroke = (): string => own ?? colour(LINE_INKS[i % LINE_INKS.length]!);
            const shape = {
              spanGaps: false,
              ...(stepped && { paths: uPlot.paths.stepped!({ align: 1 }) }),
            };
            const bound = { ...shape, width: 0, points: { show: false } };
            return [
              {
                ...shape,
                label,
                stroke,
                width: 1.75,
                dash: [...LINE_DASHES[i % LINE_DASHES.length]!],
                // A reading with a gap on both sides has no line: it is a point.
                points: { show: true, size: 5, filter: alone, fill: stroke },
              },
              { ...bound, label: `${label}, least` },
              { ...bound, label: `${label}, greatest` },
            ];
          }),
        ],
      },
      joined(data.current.lines),
      element,
    );
    plot.current = chart;
    const follow = (): void => {
      if (element.matches(':hover')) return;
      const at = crosshair.at();
      const left = at === null ? -10 : chart.valToPos(at, 'x');
      chart.setCursor(
        { left: left < 0 || left > chart.bbox.width / devicePixelRatio ? -10 : left, top: 10 },
        false,
      );
    };
    const unfollow = crosshair.subscribe(follow);
    const leave = (): void => crosshair.move(null);
    element.addEventListener('pointerleave', leave);
    const observer = new ResizeObserver(() =>
      chart.setSize({ width: element.clientWidth, height: element.clientHeight }),
    );
    observer.observe(element);
    return () => {
      observer.disconnect();
      unfollow();
      element.removeEventListener('pointerleave', leave);
      chart.destroy();
      plot.current = null;
    };
    // The chart is made anew only when its lines are others; their points go in below.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [shape, mode]);

  useEffect(() => plot.current?.setData(joined(lines)), [lines, from, to]);
  return (
    <Box
      ref={box}
      role="img"
      aria-label={`Chart of ${lines.map(({ label }) => label).join(', ')}`}
      sx={{ width: '100%', height: '100%', minHeight: 90, overflow: 'hidden', color: ink.ink }}
    />
  );
}

/** All lines on one time axis: of each the middle, the least and the greatest. */
function joined(lines: ChartLine[]): uPlot.AlignedData {
  return lines.length === 0
    ? [[]]
    : uPlot.join(
        lines.map(
          ({ columns: { times, values, low, high } }) => [times, values, low, high] as uPlot.AlignedData,
        ),
        lines.map(() => [0, 2, 2, 2]),
      );
}

/** The places of points that have a gap, or nothing, on both sides. */
function alone(self: uPlot, series: number): number[] {
  const values = self.data[series]!;
  const places: number[] = [];
  for (let i = 0; i < values.length; i++)
    if (values[i] != null && beside(values, i, -1) == null && beside(values, i, 1) == null) places.push(i);
  return places;
}

/** The next value of a line on one side; what only other lines have (undefined) is passed over. */
function beside(
  values: ArrayLike<number | null | undefined>,
  i: number,
  step: 1 | -1,
): number | null | undefined {
  let place = i + step;
  while (place >= 0 && place < values.length && values[place] === undefined) place += step;
  return values[place];
}

/** A range that holds what is seen, with air; fixed bounds win. */
function yRange(
  low: number | null,
  high: number | null,
  [min, max]: [number | null, number | null],
): [number, number] {
  const bottom = low ?? 0;
  const top = high ?? 1;
  const air = top > bottom ? (top - bottom) * 0.08 : Math.max(1, Math.abs(top) * 0.05);
  return [min ?? bottom - air, max ?? top + air];
}
