import { useMemo } from 'react';
import { isScalar, patienceMs, sampleValue } from '@peatmoor/core';
import { liveStore, useAllShown, useNow, useHeld } from '../live';
import { useDisplay } from '../parts/useDisplay';
import type { Source } from '../dashboards/useCatalogue';
import { chartColumns, gapsIn, usualGap, type ChartColumns } from './lines';
import type { ChartLine } from './chartLine';
import { boundsOf, EVERYTHING, type Period } from './period';
import { useHistory } from './useHistory';
import { serviceNow } from '../live/clock';

/** How often a chart is drawn anew for what comes live, in ms: at the most so, and in a short period as often as it moves by some px. */
const OFTEN_MS = 250;
const SELDOM_MS = 1000;
const STEPS = 240;

/** What a chart shows: its lines, over which time, and where nothing came. */
export interface ChartContent {
  lines: ChartLine[];
  from: number;
  to: number;
  gaps: [from: number, to: number][];
  /** All was read, and there was nothing. */
  isEmpty: boolean;
}

/** Lines of several sources over a period, with what comes live; `before` lays the period before it under them. */
export function useChartLines(sources: readonly Source[], period: Period, before: boolean): ChartContent {
  const real = sources.filter((source) => source.device !== null);
  const named = real.map(({ device, stream }) => ({ device: device!.id, stream: stream.key }));
  const histories = useHistory(named, period);
  const earlier = useHistory(before ? named : [], period, true);
  const tails = useHeld(
    liveStore.subscribe,
    () =>
      period.until !== null && period.until < serviceNow() - 60_000
        ? ''
        : real.map(({ device, stream }) => liveStore.tail(device!.id, stream.key).at(-1)?.at).join(),
    Math.min(SELDOM_MS, Math.max(OFTEN_MS, period.ms / STEPS)),
  );
  useAllShown(real.map(({ device }) => device!.id).join());
  const displayOf = useDisplay();
  const ticking = useNow(Math.min(60_000, Math.max(1000, period.ms / 300)));
  const now = period.until === null ? ticking : 0;
  const names = JSON.stringify(
    sources.map(({ device, kind, stream }) => [
      [device?.id, device?.name, kind.title, kind.intervalS],
      [stream.key, stream.title, stream.type, stream.unit, stream.colour],
    ]),
  );
  return useMemo<ChartContent>(
    () => {
      const bounds = boundsOf(period, now);
      const first = Math.min(...histories.flatMap((line) => line?.times[0] ?? []));
      const to = bounds.to;
      const from =
        period.key === EVERYTHING && Number.isFinite(first)
          ? Math.min(first - (to - first) * 0.01, to - 60_000)
          : bounds.from;
      // What is loaded around a period that stands still is there when it is moved.
      const loadedFrom = period.until === null ? from : from - period.ms;
      const several = new Set(sources.map(({ device }) => device?.id)).size > 1;
      const sameTitle = new Set(sources.map(({ stream }) => stream.title)).size === 1;
      const gaps: [number, number][] = [];
      const lines = sources.map((source): ChartLine => {
        const { device, stream, kind } = source;
        const { convert, unit } = displayOf(stream);
        const ofDevice = device?.name ?? kind.title;
        const base = {
          label: !several ? stream.title : sameTitle ? ofDevice : `${ofDevice} ${stream.title}`,
          stepped: stream.type === 'boolean',
          colour: stream.colour,
          whole: !isScalar(stream) || stream.type === 'integer',
          newest:
            device === null ? null : { device: device.id, stream: stream.key, intervalS: kind.intervalS },
          unit,
        };
        if (device === null) return { ...base, columns: converted(madeUp(source, from, to), convert) };
        const line = histories[real.indexOf(source)];
        // A hole is longer than what is expected, and than what was usual just then.
        const gapMs = Math.max(patienceMs(kind.intervalS), line === undefined ? 0 : usualGap(line));
        const columns = chartColumns(line, liveStore.tail(device.id, stream.key), loadedFrom, gapMs);
        if (sources.length === 1) gaps.push(...gapsIn(columns));
        return { ...base, columns: converted(columns, convert) };
      });
      const under = earlier.flatMap((line, i): ChartLine[] => {
        const source = real[i]!;
        const { convert, unit } = displayOf(source.stream);
        const columns = chartColumns(
          line,
          [],
          0,
          Math.max(patienceMs(source.kind.intervalS), (line?.spanMs ?? 0) * 2.5),
        );
        const place = sources.indexOf(source);
        return [
          {
            label: `${lines[place]!.label}, the period before`,
            stepped: lines[place]!.stepped,
            colour: lines[place]!.colour,
            whole: lines[place]!.whole,
            newest: null,
            unit,
            under: true,
            columns: converted(
              { ...columns, times: columns.times.map((at) => at + period.ms / 1000) },
              convert,
            ),
          },
        ];
      });
      const isEmpty =
        histories.every((line) => line !== undefined) &&
        lines.every(({ columns }) => columns.values.every((value) => value === null));
      return { lines: [...lines, ...under], from, to, gaps, isEmpty };
    },
    // `tails` and `names` stand for the points and sources, which are new objects each time.
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [histories, earlier, tails, now, names, period, displayOf],
  );
}

/** Columns in the units of whoever looks. */
function converted(
  { times, values, low, high }: ChartColumns,
  convert: (value: number) => number,
): ChartColumns {
  const each = (list: (number | null)[]): (number | null)[] =>
    list.map((value) => (value === null ? null : convert(value)));
  return { times, values: each(values), low: each(low), high: each(high) };
}

/** Sample values for a kind that has no device yet. */
function madeUp({ stream }: Source, from: number, to: number): ChartColumns {
  const times = Array.from({ length: 120 }, (_, i) => from + ((to - from) * i) / 119);
  const values = times.map((at) => sampleValue(stream, at));
  return { times: times.map((at) => at / 1000), values, low: values, high: values };
}
