import { Box } from '@mui/material';
import { useMemo, useSyncExternalStore, type ReactNode } from 'react';
import { numberOption, patienceMs, sampleValue, type Display } from '@peatmoor/core';
import { LINE_DASHES, LINE_INKS, LineChart, type ChartLine } from '../../charts/LineChart';
import { crosshair } from '../../charts/crosshair';
import { chartColumns, nearestPoint, usualSpacing, type ChartColumns } from '../../charts/lines';
import { useHistory } from '../../charts/useHistory';
import { liveStore, useAllShown, useNow } from '../../live';
import { showClock, showSeconds } from '../../parts/time';
import { useDisplay } from '../../parts/useDisplay';
import { ink, MONO } from '../../theme';
import type { Source } from '../useCatalogue';
import type { DrawnWidget, WidgetProps } from './drawn';

/** A line chart of up to eight datastreams over the period of the time strip. */
function ChartBody({ widget, sources, period }: WidgetProps): ReactNode {
  const real = sources.filter((source) => source.device !== null);
  const histories = useHistory(
    real.map(({ device, stream }) => ({ device: device!.id, stream: stream.key })),
    period,
  );
  const tails = useSyncExternalStore(liveStore.subscribe, () =>
    real.map(({ device, stream }) => liveStore.tail(device!.id, stream.key).length).join(),
  );
  useAllShown(real.map(({ device }) => device!.id).join());
  const displayOf = useDisplay();
  const now = useNow(Math.min(60_000, Math.max(1000, period.ms / 300)));
  const from = now - period.ms;
  const pointed = useSyncExternalStore(crosshair.subscribe, crosshair.at);
  const several = new Set(sources.map(({ device }) => device?.id)).size > 1;
  const newestTimes = histories.map((line) => line?.times.at(-1)).join();
  const names = sources.map(({ device, stream }) => `${device?.id}/${stream.key}`).join();
  const lines = useMemo<ChartLine[]>(
    () =>
      sources.map((source) => {
        const { device, stream, kind } = source;
        const label = several ? `${device?.name ?? kind.title}` : stream.title;
        const stepped = stream.type === 'boolean';
        const { convert } = displayOf(stream);
        const each = (list: (number | null)[]): (number | null)[] =>
          list.map((value) => (value === null ? null : convert(value)));
        const shown = ({ times, values, low, high }: ChartColumns): ChartColumns => ({
          times,
          values: each(values),
          low: each(low),
          high: each(high),
        });
        if (device === null)
          return { label, stepped, colour: stream.colour, columns: shown(madeUp(source, from, now)) };
        const line = histories[real.indexOf(source)];
        // A hole is longer than what is expected, and than what was usual just then.
        const usual = usualSpacing(line?.times ?? []);
        const gapMs = Math.max(patienceMs(kind.intervalS), usual * 2.5, (line?.spanMs ?? 0) * 1.5);
        return {
          label,
          stepped,
          colour: stream.colour,
          columns: shown(chartColumns(line, liveStore.tail(device.id, stream.key), from, gapMs)),
        };
      }),
    // `tails`, `newestTimes` and `names` stand for the points and sources, which are new objects each time.
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [newestTimes, tails, now, names, period, displayOf],
  );
  const first = sources[0] && displayOf(sources[0].stream);
  const bound = (value: number | null): number | null =>
    value === null ? null : (first?.convert(value) ?? value);
  return (
    <Box sx={{ height: '100%', display: 'flex', flexDirection: 'column', minHeight: 0 }}>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', columnGap: 2, fontSize: '0.9rem', mb: 0.5 }}>
        {lines.map(({ label, colour, columns }, i) => {
          const place =
            pointed === null
              ? columns.times.length - 1
              : nearestPoint(columns, pointed, Math.max(10, period.ms / 50_000));
          const newest = place === null ? null : columns.values[place];
          const spread =
            place !== null && columns.low[place] !== columns.high[place]
              ? `${readingOf(displayOf(sources[i]!.stream), columns.low[place]!)} to ${readingOf(displayOf(sources[i]!.stream), columns.high[place]!)}`
              : '';
          return (
            <Box key={i} component="span" sx={{ display: 'inline-flex', alignItems: 'center', gap: 0.75 }}>
              <svg width="22" height="8" aria-hidden>
                <line
                  x1="0"
                  x2="22"
                  y1="4"
                  y2="4"
                  stroke={colour ?? ink[LINE_INKS[i % LINE_INKS.length]!]}
                  strokeWidth="2"
                  strokeDasharray={LINE_DASHES[i % LINE_DASHES.length]!.join(' ')}
                />
              </svg>
              {label}
              {newest != null && (
                <span style={{ fontFamily: MONO, color: ink.soft }}>
                  {readingOf(displayOf(sources[i]!.stream), newest)}
                </span>
              )}
              {pointed !== null && newest != null && spread !== '' && (
                <span style={{ fontFamily: MONO, color: ink.soft, fontSize: '0.85em' }}>({spread})</span>
              )}
            </Box>
          );
        })}
        {pointed !== null && (
          <Box component="span" sx={{ ml: 'auto', fontFamily: MONO, color: ink.soft }}>
            {period.ms > 86_400_000 ? showClock(pointed * 1000, 0) : showSeconds(pointed * 1000)}
          </Box>
        )}
      </Box>
      <Box sx={{ flex: 1, minHeight: 0 }}>
        <LineChart
          lines={lines}
          from={from}
          to={now}
          unit={first?.unit ?? ''}
          range={[bound(numberOption(widget, 'min')), bound(numberOption(widget, 'max'))]}
        />
      </Box>
    </Box>
  );
}

export const chart: DrawnWidget = { Body: ChartBody, phoneHeight: 260 };

/** The reading of a value that is in shown units already. */
function readingOf(display: Display, shown: number): string {
  return display.reading(display.back(shown));
}

/** Sample values for a kind that has no device yet. */
function madeUp({ stream }: Source, from: number, to: number): ChartColumns {
  const times = Array.from({ length: 120 }, (_, i) => from + ((to - from) * i) / 119);
  const values = times.map((at) => sampleValue(stream, at));
  return { times: times.map((at) => at / 1000), values, low: values, high: values };
}
