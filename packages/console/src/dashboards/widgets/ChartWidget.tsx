import { Box } from '@mui/material';
import { Suspense, useMemo, useRef, useSyncExternalStore, type ReactNode } from 'react';
import { numberOption, optionOf, type ChartDraws, type Display } from '@peatmoor/core';
import { rightUnit } from '../../charts/chartLine';
import { ChartStatistics } from '../../charts/ChartStatistics';
import { ChartTable } from '../../charts/ChartTable';
import { Legend } from '../../charts/Legend';
import { LineChart } from '../../charts/LineChart';
import type { ChartMarks } from '../../charts/marks';
import { fixedPeriod, goingLike } from '../../charts/period';
import { useChartLines } from '../../charts/useChartLines';
import { MOST_MARKED, useMarks } from '../../charts/useMarks';
import { chartView } from '../../charts/view';
import { useAddress } from '../../parts/useAddress';
import { useDisplay } from '../../parts/useDisplay';
import { showClock } from '../../parts/time';
import { ink } from '../../theme';
import { later } from '../../parts/later';
import { useSaving } from '../saves';
import { titleOf } from '../shown';
import type { DrawnWidget, WidgetProps } from './drawn';
import { SampleNote } from './Sampled';

// What lies between two markers is told once somebody has set one.
const Measure = later(() => import('../../charts/Measure'), 'Measure');

function Measured(props: Parameters<typeof Measure>[0]): ReactNode {
  const isMarked = useSyncExternalStore(chartView.subscribe, () => chartView.now().markers.length > 0);
  return (
    isMarked && (
      <Suspense>
        <Measure {...props} />
      </Suspense>
    )
  );
}

/** A line chart of up to eight datastreams over the period of the time strip. */
function ChartBody({ widget, sources, period, onPeriod }: WidgetProps): ReactNode {
  const displayOf = useDisplay();
  const canvas = useRef<HTMLCanvasElement | null>(null);
  const {
    lines: all,
    from,
    to,
    gaps,
    isEmpty,
  } = useChartLines(sources, period, optionOf(widget, 'before') === true);
  const [hide, setHide] = useAddress(`hide-${widget.id}`);
  const hidden = useMemo(() => new Set(hide.split(',').filter(Boolean).map(Number)), [hide]);
  const lines = useMemo(
    () => all.map((line, i) => (hidden.has(i) ? { ...line, hidden: true } : line)),
    [all, hidden],
  );
  const marks = useMarks(
    sources,
    { from, to },
    {
      limits: optionOf(widget, 'limits') === true,
      marks: optionOf(widget, 'marks') === true,
      zones: String(optionOf(widget, 'zones') ?? ''),
    },
  );
  const shownMarks = useMemo(() => ({ ...marks, gaps }), [marks, gaps]);
  const displays = all.map((_, i) => displayOf(sources[i % sources.length]!.stream));
  const right = displays[lines.findIndex(({ unit }) => unit === rightUnit(lines))];
  /** A bound of a scale, in the unit that is shown on it. */
  const bound = (name: string, display: Display | undefined): number | null => {
    const value = numberOption(widget, name);
    return value === null ? null : (display?.convert(value) ?? value);
  };
  const scales = {
    draws: optionOf(widget, 'draws') as ChartDraws,
    range: [bound('min', displays[0]), bound('max', displays[0])] as const,
    rightRange: [bound('rightMin', right), bound('rightMax', right)] as const,
  };
  const { isTable } = useSaving(widget.id, () => ({
    chart: { title: titleOf(widget, [...sources]), lines, from, to, ...scales },
    canvas: canvas.current,
  }));
  const table = { title: titleOf(widget, [...sources]), lines, displays, from, to };
  return (
    <Box sx={{ height: '100%', display: 'flex', flexDirection: 'column', minHeight: 0 }}>
      <Legend
        lines={lines}
        displays={displays}
        from={from}
        to={to}
        onToggle={(line) =>
          setHide(
            [...(hidden.has(line) ? [...hidden].filter((one) => one !== line) : [...hidden, line])].join(),
          )
        }
      />
      <Measured lines={lines} displays={displays} from={from} to={to} />
      <Box sx={{ flex: 1, minHeight: '40%', position: 'relative' }}>
        {isTable ? (
          <ChartTable {...table} seen />
        ) : (
          <>
            <LineChart
              lines={lines}
              from={from}
              to={to}
              {...scales}
              marks={shownMarks}
              canvas={canvas}
              onMoved={(bounds) => {
                onPeriod(bounds === null ? goingLike(period.ms) : fixedPeriod(bounds.from, bounds.to));
                // Only once it is drawn from what stands still.
                requestAnimationFrame(() => chartView.move(null));
              }}
            />
            <ChartTable {...table} seen={false} />
            {isEmpty && <NothingYet />}
          </>
        )}
      </Box>
      <Notes notes={marks.notes} />
      {marks.isCut && (
        <Box sx={{ fontSize: '0.85rem', color: ink.soft, flex: 'none' }}>
          Of each device the newest {MOST_MARKED} events are marked.
        </Box>
      )}
      {optionOf(widget, 'statistics') === true && (
        <ChartStatistics sources={sources} from={from} to={to} going={period.until === null} />
      )}
      {sources.every(({ device }) => device === null) && <SampleNote>sample values</SampleNote>}
    </Box>
  );
}

/** In place of lines, where there are none: an empty field alone might as well be one that is still fetched. */
function NothingYet(): ReactNode {
  return (
    <Box
      sx={{
        position: 'absolute',
        inset: '0 0 32px 0',
        display: 'grid',
        placeItems: 'center',
        color: ink.soft,
        pointerEvents: 'none',
      }}
    >
      No reading in this period.
    </Box>
  );
}

/** Notes in what is shown, the newest one in words while the pointer is elsewhere. */
function Notes({ notes }: { notes: ChartMarks['notes'] }): ReactNode {
  const { moving } = useSyncExternalStore(chartView.subscribe, chartView.now);
  const newest = notes[0];
  if (newest === undefined || moving !== null) return null;
  return (
    <Box
      sx={{
        fontSize: '0.85rem',
        color: ink.heather,
        whiteSpace: 'nowrap',
        overflow: 'hidden',
        textOverflow: 'ellipsis',
        flex: 'none',
      }}
    >
      ▾ {showClock(newest.at, Date.now())} {newest.text}
      {notes.length > 1 && ` · ${notes.length - 1} more`}
    </Box>
  );
}

export const chart: DrawnWidget = { Body: ChartBody, phoneHeight: 280 };
