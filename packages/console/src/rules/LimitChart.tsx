import { Box } from '@mui/material';
import { useRef, type KeyboardEvent, type PointerEvent, type ReactNode } from 'react';
import { scaleLinear } from 'd3-scale';
import type { Display } from '@peatmoor/core';
import type { HistoryLine, TrialResult } from '@peatmoor/contract';
import { chartColumns, runsOf, usualGap } from '../charts/lines';
import { useSize } from '../parts/useSize';
import { roundTimes } from '../parts/roundTimes';
import { ink, MONO } from '../theme';

const HEIGHT = 230;
const LEFT = 70;
const TOP = 10;
const BOTTOM = 26;
/** Room of a time below, in px. */
const TIME_PX = 90;
/** Steps of the whole height that an arrow key moves the limit by. */
const KEY_STEPS = 100;

/** The readings of a time with the limit across them, which can be dragged, and when the rule would have been open. */
export function LimitChart({
  line,
  from,
  to,
  events,
  limits,
  draggable,
  display,
  onLimit,
}: {
  line: HistoryLine;
  from: number;
  to: number;
  events: TrialResult['events'];
  limits: number[];
  draggable: boolean;
  display: Display;
  onLimit: (limit: number) => void;
}): ReactNode {
  const box = useRef<HTMLDivElement>(null);
  const { width } = useSize(box);
  const dragging = useRef(false);
  const seen = [...line.min, ...line.max].filter((value) => value !== null);
  const all = [...seen, ...limits];
  const low = Math.min(...all);
  const high = Math.max(...all);
  const margin = (high - low || Math.abs(high) || 1) * 0.12;
  const x = scaleLinear([from, to], [LEFT, Math.max(LEFT + 10, width - 8)]);
  const y = scaleLinear([low - margin, high + margin], [HEIGHT - BOTTOM, TOP]);
  const limit = limits[0];
  /** A limit with as many digits as the height tells apart. */
  const rounded = (value: number): number => {
    const step = 10 ** Math.floor(Math.log10(Math.max(1e-9, (high - low + 2 * margin) / 300)));
    return Number((Math.round(value / step) * step).toPrecision(10));
  };
  const drag = (event: PointerEvent<SVGElement>): void => {
    if (!dragging.current || box.current === null) return;
    onLimit(rounded(y.invert(event.clientY - box.current.getBoundingClientRect().top)));
  };
  const press = (event: KeyboardEvent<SVGElement>): void => {
    const way = { ArrowUp: 1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[event.key];
    if (way === undefined || limit === undefined) return;
    event.preventDefault();
    onLimit(rounded(limit + (way * (high - low + 2 * margin)) / KEY_STEPS));
  };
  const columns = chartColumns(line, [], 0, usualGap(line));
  /** Places of some points of one column in the drawing. */
  const along = (column: (number | null)[], [start, end]: [number, number]): string[] =>
    column
      .slice(start, end)
      .map((value, i) => `${x(columns.times[start + i]! * 1000).toFixed(1)},${y(value!).toFixed(1)}`);
  return (
    <Box ref={box} sx={{ width: '100%', height: HEIGHT, touchAction: 'pan-y' }}>
      {width > 0 && (
        <svg
          width={width}
          height={HEIGHT}
          onPointerMove={drag}
          onPointerUp={() => (dragging.current = false)}
          role="group"
          aria-label="The past with the limit"
        >
          {y.ticks(5).map((tick) => (
            <g key={tick}>
              <line x1={LEFT} x2={width - 8} y1={y(tick)} y2={y(tick)} stroke={ink.faint} />
              <text
                x={LEFT - 8}
                y={y(tick) + 4}
                textAnchor="end"
                fontSize="12"
                fontFamily={MONO}
                fill={ink.soft}
              >
                {display.value(tick)}
              </text>
            </g>
          ))}
          {roundTimes(from, to, width / TIME_PX).map(({ at, words }) => (
            <text
              key={at}
              x={Math.min(x(at), width - 22)}
              y={HEIGHT - 6}
              fontSize="12"
              fill={ink.soft}
              textAnchor="middle"
            >
              {words}
            </text>
          ))}
          {events.map(({ openedAt, closedAt }) => (
            <rect
              key={openedAt}
              x={x(openedAt)}
              width={Math.max(2, x(closedAt ?? to) - x(openedAt))}
              y={TOP}
              height={HEIGHT - BOTTOM - TOP}
              fill={ink.rowan}
              opacity="0.16"
            />
          ))}
          {runsOf(columns).map((run) => (
            <g key={run[0]}>
              <polygon
                points={[...along(columns.high, run), ...along(columns.low, run).reverse()].join(' ')}
                fill={ink.pool}
                opacity="0.2"
              />
              {/* One reading alone is a dot: its place twice is a line without length, of which the ends are drawn. */}
              <polyline
                points={[...along(columns.values, run), ...along(columns.values, [run[1] - 1, run[1]])].join(
                  ' ',
                )}
                fill="none"
                stroke={ink.pool}
                strokeWidth={run[1] - run[0] === 1 ? 3 : 1.5}
                strokeLinecap="round"
              />
            </g>
          ))}
          {limits.map((one, i) => (
            <line
              key={i}
              x1={LEFT}
              x2={width - 8}
              y1={y(one)}
              y2={y(one)}
              stroke={ink.rowan}
              strokeWidth="1.5"
              strokeDasharray="7 4"
            />
          ))}
          {draggable && limit !== undefined && (
            <g
              role="slider"
              tabIndex={0}
              aria-label="Limit"
              aria-orientation="vertical"
              aria-valuenow={limit}
              aria-valuetext={display.reading(limit)}
              style={{ cursor: 'ns-resize', touchAction: 'none' }}
              onKeyDown={press}
              onPointerDown={(event) => {
                dragging.current = true;
                event.currentTarget.setPointerCapture(event.pointerId);
              }}
              onPointerMove={drag}
              onPointerUp={() => (dragging.current = false)}
            >
              <rect
                x={LEFT}
                width={Math.max(0, width - 8 - LEFT)}
                y={y(limit) - 14}
                height={28}
                fill="transparent"
              />
              <path
                d={`M${width - 40} ${y(limit) - 4}l7 -8l7 8zM${width - 40} ${y(limit) + 4}l7 8l7 -8z`}
                fill={ink.rowan}
              />
              <text
                x={width - 48}
                y={y(limit) - 6}
                textAnchor="end"
                fontSize="13"
                fontFamily={MONO}
                fill={ink.rowan}
                stroke={ink.paper}
                strokeWidth="4"
                paintOrder="stroke"
              >
                {display.reading(limit)}
              </text>
            </g>
          )}
        </svg>
      )}
    </Box>
  );
}
