import { useColorScheme } from '@mui/material/styles';
import { Box } from '@mui/material';
import { useEffect, useRef, type ReactNode } from 'react';
import uPlot from 'uplot';
import { zoneHere, type ChartDraws } from '@peatmoor/core';
import { dates, isSameDay } from '../parts/time';
import { ink } from '../theme';
import { crosshair } from './crosshair';
import { listenToGestures, type Bounds } from './gestures';
import {
  isOwnScale,
  LINE_DASHES,
  LINE_INKS,
  placeOf,
  rightUnit,
  scalesOf,
  type ChartLine,
  type ScaleName,
} from './chartLine';
import { drawBehind, drawOver, drawUnits, type ChartMarks } from './marks';
import { scaleRange, type ScaleRange } from './scale';
import { chartView } from './view';

/** How strongly the band from the least to the greatest, and the area below a line, are drawn, in hexadecimal. */
const BAND_ALPHA = '38';
const AREA_ALPHA = '22';
/** Room above the axes for their units. */
const UNIT_PX = 22;

type InkName = (typeof LINE_INKS)[number] | 'line' | 'faint' | 'gorse' | 'paper';
const colour = (name: InkName): string =>
  getComputedStyle(document.documentElement).getPropertyValue(`--mui-palette-inks-${name}`).trim();

/** Lines over a period, drawn to fill its box. */
export function LineChart({
  lines,
  from,
  to,
  draws,
  range,
  rightRange,
  marks,
  onMoved,
  canvas,
}: {
  lines: ChartLine[];
  from: number;
  to: number;
  draws: ChartDraws;
  range: ScaleRange;
  rightRange: ScaleRange;
  marks: ChartMarks;
  /** Called once somebody has moved the chart; null for back to now. */
  onMoved: (bounds: Bounds | null) => void;
  /** Told the canvas, so that it can be saved. */
  canvas?: { current: HTMLCanvasElement | null };
}): ReactNode {
  const box = useRef<HTMLDivElement>(null);
  const plot = useRef<uPlot | null>(null);
  const { mode } = useColorScheme();
  const shape =
    lines
      .map(({ label, stepped, colour: own, unit, under, hidden }) =>
        [label, stepped, own, unit, under, hidden].join('/'),
      )
      .join('|') +
    draws +
    range.join() +
    rightRange.join();
  const data = useRef({ lines, from, to, marks, onMoved });
  data.current = { lines, from, to, marks, onMoved };
  const right = rightUnit(lines);

  useEffect(() => {
    const element = box.current;
    if (element === null) return;
    const bounds = (): Bounds => ({ from: data.current.from, to: data.current.to });
    const chart = new uPlot(
      optionsOf({
        element,
        lines: data.current.lines,
        draws,
        range,
        rightRange,
        bounds: () => chartView.now().moving ?? bounds(),
        marks: () => ({ ...data.current.marks, markers: chartView.now().markers }),
      }),
      joined(data.current.lines),
      element,
    );
    plot.current = chart;
    if (canvas) canvas.current = chart.ctx.canvas;
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
    let frame = 0;
    const unview = chartView.subscribe(() => {
      cancelAnimationFrame(frame);
      frame = requestAnimationFrame(() => {
        const { from: start, to: end } = chartView.now().moving ?? bounds();
        chart.setScale('x', { min: start / 1000, max: end / 1000 });
      });
    });
    const unlisten = listenToGestures({
      chart,
      element,
      bounds,
      onMoved: (next) => data.current.onMoved(next),
    });
    const leave = (): void => crosshair.move(null);
    element.addEventListener('pointerleave', leave);
    const observer = new ResizeObserver(() =>
      chart.setSize({ width: element.clientWidth, height: element.clientHeight }),
    );
    observer.observe(element);
    return () => {
      observer.disconnect();
      cancelAnimationFrame(frame);
      unfollow();
      unview();
      unlisten();
      element.removeEventListener('pointerleave', leave);
      chart.destroy();
      plot.current = null;
    };
    // The chart is made anew only when its lines are others; their points go in below.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [shape, mode]);

  useEffect(() => plot.current?.setData(joined(lines)), [lines, from, to, marks]);
  const units = [lines[0]?.unit, right].filter(Boolean).join(' and ');
  return (
    <Box
      ref={box}
      role="application"
      tabIndex={0}
      aria-roledescription="chart"
      aria-label={`Chart of ${lines
        .filter(({ under }) => !under)
        .map(({ label }) => label)
        .join(', ')}${units && ` in ${units}`}`}
      aria-description="Arrow keys move it, plus and minus change how much is shown, Home goes back to now, M sets a marker."
      sx={{
        width: '100%',
        height: '100%',
        minHeight: 90,
        overflow: 'hidden',
        color: ink.ink,
        cursor: 'crosshair',
        '& .u-over:active': { cursor: 'grabbing' },
        '& .u-select': { background: ink.line },
      }}
    />
  );
}

/** How uPlot is to draw the lines: of each its middle, its least and its greatest. */
function optionsOf({
  element,
  lines,
  draws,
  range,
  rightRange,
  bounds,
  marks,
}: {
  element: HTMLElement;
  lines: readonly ChartLine[];
  draws: ChartDraws;
  range: ScaleRange;
  rightRange: ScaleRange;
  bounds: () => Bounds;
  marks: () => ChartMarks;
}): uPlot.Options {
  const right = rightUnit(lines);
  const scales = scalesOf(lines);
  const scaleOf = (unit: string): ScaleName => scales.get(unit) ?? 'y';
  const axis = {
    stroke: () => colour('soft'),
    grid: { stroke: () => colour('line'), width: 1 },
    ticks: { stroke: () => colour('line'), width: 1, size: 4 },
    font: '13px "Atkinson Hyperlegible Next Variable"',
  };
  // Lines that lie under others come first, and have the colour of what they are under.
  const places = lines.map((_line, i) => placeOf(lines, i));
  const strokeOf = (i: number) => (): string => {
    const own = lines[i]!.colour ?? colour(LINE_INKS[places[i]! % LINE_INKS.length]!);
    return lines[i]!.under ? `${own}70` : own;
  };
  const { stepped, bars } = uPlot.paths;
  return {
    width: element.clientWidth || 300,
    height: element.clientHeight || 160,
    ...(dates().zone !== zoneHere() && {
      tzDate: (at: number) => uPlot.tzDate(new Date(at * 1000), dates().zone),
    }),
    // Above each axis stands its unit.
    ...([...scales.keys()].some(Boolean) && { padding: [UNIT_PX, null, null, null] }),
    legend: { show: false },
    cursor: { y: false, points: { size: 6 }, drag: { x: false, y: false } },
    bands:
      draws === 'bars'
        ? []
        : lines.map((line, i) => ({
            series: [i * 3 + 3, i * 3 + 2] as [number, number],
            show: !line.under,
            fill: () => strokeOf(i)().slice(0, 7) + BAND_ALPHA,
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
      drawClear: [(self) => drawBehind(self, marks(), colour)],
      draw: [
        (self) => drawOver(self, marks(), scaleOf, colour),
        (self) => drawUnits(self, [lines[0]?.unit ?? '', right ?? ''], colour),
      ],
    },
    scales: {
      x: { time: true, range: () => [bounds().from / 1000, bounds().to / 1000] },
      y: { range: (_self, low, high) => scaleRange(low, high, range, draws) },
      right: { range: (_self, low, high) => scaleRange(low, high, rightRange, draws) },
      ...Object.fromEntries(
        [...scales.values()]
          .filter(isOwnScale)
          .map((name): [string, uPlot.Scale] => [
            name,
            { range: (_self, low, high) => scaleRange(low, high, [null, null], draws) },
          ]),
      ),
    },
    axes: [
      {
        ...axis,
        space: 70,
        size: 28,
        values: (_self, splits, _axis, _space, step) => timeWords(splits, step),
      },
      { ...axis, values: (_self, splits) => splits.map(number), size: 52, space: 30 },
      ...(right === null
        ? []
        : [
            {
              ...axis,
              values: (_self: unknown, splits: number[]) => splits.map(number),
              scale: 'right',
              side: 1 as const,
              size: 48,
              space: 30,
              grid: { show: false },
            },
          ]),
    ],
    series: [
      {},
      ...lines.flatMap(({ label, stepped: isStepped, unit, under, hidden }, i) => {
        const stroke = strokeOf(i);
        const paths =
          draws === 'points'
            ? () => null
            : draws === 'bars'
              ? bars!({ size: [0.8, 60] })
              : isStepped || draws === 'step'
                ? stepped!({ align: 1 })
                : undefined;
        const shape = {
          show: !hidden,
          spanGaps: false,
          scale: scaleOf(unit),
          ...(paths !== undefined && { paths }),
        };
        const bound = { ...shape, width: 0, points: { show: false } };
        return [
          {
            ...shape,
            label,
            stroke,
            width: under ? 1.25 : 1.75,
            dash: under ? [3, 3] : [...LINE_DASHES[places[i]! % LINE_DASHES.length]!],
            ...((draws === 'area' || draws === 'bars') &&
              !under && { fill: () => stroke().slice(0, 7) + (draws === 'bars' ? '90' : AREA_ALPHA) }),
            // A reading with a gap on both sides has no line: it is a point.
            points:
              draws === 'points'
                ? { show: true, size: 4.5, fill: stroke }
                : { show: draws !== 'bars', size: 5, filter: alone, fill: stroke },
          },
          { ...bound, label: `${label}, least` },
          { ...bound, label: `${label}, greatest` },
        ] as uPlot.Series[];
      }),
    ],
  };
}

/** What stands at the marks of the time axis (epoch s), which are a step apart (s). */
function timeWords(marks: readonly number[], step: number): string[] {
  const { monthOfYear, day, clock, seconds } = dates();
  return marks.map((mark, i) => {
    const at = mark * 1000;
    if (step >= 28 * DAY_S) return monthOfYear(at);
    if (step >= DAY_S) return day(at);
    if (step < 60) return seconds(at);
    // With the first mark of a day stands the day instead.
    return i > 0 && isSameDay(at, marks[i - 1]! * 1000) ? clock(at) : day(at);
  });
}
const DAY_S = 86_400;
const number = (value: number): string => dates().number(value);

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
