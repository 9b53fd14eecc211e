import { Box } from '@mui/material';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useRef, type ReactNode } from 'react';
import {
  graduations,
  numberOption,
  optionOf,
  type CalendarBucket,
  type CalendarStep,
  type Display,
} from '@peatmoor/core';
import { api } from '../../api';
import { useSize } from '../../parts/useSize';
import { useDisplay } from '../../parts/useDisplay';
import { dates } from '../../parts/time';
import { ink, MONO } from '../../theme';
import { bucketText, bucketValue, STEP_MS } from './buckets';
import type { DrawnWidget, WidgetProps } from './drawn';
import { Sampled, useSampleSteps } from './Sampled';
import { RING_WITHIN, usePointed } from './usePointed';
import { serviceNow } from '../../live/clock';
import { againSoon } from '../../parts/again';
import { useNotFetched } from '../../parts/Fetching';

/** Room for figures beside the scale, in px, and of one of them. */
const LEAST_LEFT = 46;
const FIGURE_PX = 8;
const BOTTOM = 22;

/** A bar for each step of the calendar; a step without a reading has a dotted foot. */
function BarsBody({ widget, sources: [source] }: WidgetProps): ReactNode {
  const { device, stream } = source;
  const step = optionOf(widget, 'step') as CalendarStep;
  const shows = String(optionOf(widget, 'shows'));
  const count = numberOption(widget, 'bars') ?? 14;
  const display = useDisplay()(stream);
  const { zone } = dates();
  const asked = useQuery({
    queryKey: ['calendar', device?.id, stream.key, step, count, zone],
    queryFn: async () => {
      const to = serviceNow() + 1000;
      const { buckets: all } = await api.call('calendar', {
        params: { device: device!.id },
        query: {
          stream: stream.key,
          from: to - (count - 1) * STEP_MS[step]!,
          to,
          step,
          zone,
        },
      });
      return all.slice(-count);
    },
    enabled: device !== null,
    refetchInterval: againSoon(60_000),
    placeholderData: keepPreviousData,
  });
  useNotFetched(asked.error);
  const buckets = asked.data;
  const samples = useSampleSteps(source, step, count);
  const shown = samples ?? buckets;
  if (shown === undefined) return null;
  return (
    <Sampled sample={samples !== null}>
      <Drawn buckets={shown} step={step} shows={shows} display={display} title={stream.title} />
    </Sampled>
  );
}

function Drawn({
  buckets,
  step,
  shows,
  display,
  title,
}: {
  buckets: CalendarBucket[];
  step: CalendarStep;
  shows: string;
  display: Display;
  title: string;
}): ReactNode {
  const box = useRef<HTMLDivElement>(null);
  const { width, height } = useSize(box);
  const { pointed, point, keys } = usePointed(buckets.length);
  const values = buckets.map((bucket) => bucketValue(bucket, shows, display));
  const known = values.filter((value) => value !== null);
  const [low, high] = [Math.min(0, ...known), Math.max(0, ...known)];
  const marks = graduations(low, high === low ? low + 1 : high, Math.max(2, Math.floor(height / 45)));
  const top = Math.max(high, marks.at(-1) ?? high) || 1;
  const floor = Math.min(low, marks[0] ?? low);
  const y = (value: number): number => 6 + ((top - value) / (top - floor || 1)) * (height - BOTTOM - 6);
  const barPx = (value: number): number => Math.max(1.5, Math.abs(y(value) - y(0)));
  const figures = marks.map((mark) => dates().number(mark));
  const left = Math.max(LEAST_LEFT, 8 + Math.max(...figures.map(({ length }) => length)) * FIGURE_PX);
  const wide = (width - left) / Math.max(1, buckets.length);
  const every = Math.max(1, Math.ceil(56 / wide));
  const at = pointed ?? buckets.length - 1;
  const shown = values[at] ?? null;
  const inUnit = (value: number): string => bucketText(value, shows, display);
  return (
    <Box sx={{ height: '100%', display: 'flex', flexDirection: 'column', minHeight: 0 }}>
      <Box
        role="status"
        // What changes by itself is not read out.
        aria-live={pointed === null ? 'off' : 'polite'}
        sx={{ display: 'flex', gap: 1.5, fontSize: '0.9rem', color: ink.soft }}
      >
        <span style={{ fontFamily: MONO, color: ink.ink }}>{shown === null ? '–' : inUnit(shown)}</span>
        <span>
          {shows}, {buckets[at] === undefined ? '' : labelOf(buckets[at].from, step)}
        </span>
      </Box>
      <Box
        ref={box}
        {...keys}
        aria-roledescription="bars"
        aria-label={`${title}: a bar each ${step}, looked at by the arrow keys`}
        sx={{ flex: 1, minHeight: 0, ...RING_WITHIN }}
      >
        {width > left && height > BOTTOM && (
          <svg
            width={width}
            height={height}
            role="img"
            aria-label={`${title}, ${shows} of each ${step}: ${known.length === 0 ? 'nothing measured' : `from ${inUnit(Math.min(...known))} to ${inUnit(Math.max(...known))}`}`}
            style={{ display: 'block' }}
            onPointerLeave={() => point(null)}
          >
            {marks.map((mark, i) => (
              <g key={mark}>
                <line x1={left} x2={width} y1={y(mark)} y2={y(mark)} stroke={ink.line} />
                <text
                  x={left - 8}
                  y={y(mark) + 4}
                  textAnchor="end"
                  fontSize={13}
                  fontFamily={MONO}
                  fill={ink.soft}
                >
                  {figures[i]}
                </text>
              </g>
            ))}
            {buckets.map((bucket, i) => {
              const value = values[i] ?? null;
              const x = left + i * wide + wide * 0.14;
              return (
                <g key={bucket.from} onPointerEnter={() => point(i)}>
                  <rect x={left + i * wide} y={0} width={wide} height={height - BOTTOM} fill="transparent" />
                  {value === null ? (
                    <line
                      x1={x}
                      x2={x + wide * 0.72}
                      y1={y(0)}
                      y2={y(0)}
                      stroke={ink.soft}
                      strokeDasharray="2 3"
                    />
                  ) : (
                    <rect
                      x={x}
                      // What is nothing or hardly more stands on the line, not below it.
                      y={value < 0 ? y(0) : y(0) - barPx(value)}
                      width={wide * 0.72}
                      height={barPx(value)}
                      fill={ink.pool}
                      opacity={i === pointed ? 1 : i === buckets.length - 1 ? 0.55 : 0.8}
                    />
                  )}
                  {i % every === (buckets.length - 1) % every && (
                    <text
                      x={i === buckets.length - 1 ? width : x + wide * 0.36}
                      y={height - 6}
                      textAnchor={i === buckets.length - 1 ? 'end' : 'middle'}
                      fontSize={13}
                      fill={ink.soft}
                    >
                      {labelOf(bucket.from, step)}
                    </text>
                  )}
                </g>
              );
            })}
          </svg>
        )}
      </Box>
    </Box>
  );
}

function labelOf(from: number, step: CalendarStep): string {
  const { clock, month, day } = dates();
  return (step === 'hour' ? clock : step === 'month' ? month : day)(from);
}

export const bars: DrawnWidget = { Body: BarsBody, phoneHeight: 240 };
