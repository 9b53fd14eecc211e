import { Box } from '@mui/material';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useRef, type ReactNode } from 'react';
import { counted, numberOption, optionOf, type CalendarBucket } from '@peatmoor/core';
import { api } from '../../api';
import { useSize } from '../../parts/useSize';
import { useDisplay } from '../../parts/useDisplay';
import { dates } from '../../parts/time';
import { ink } from '../../theme';
import { bucketText, bucketValue } from './buckets';
import type { DrawnWidget, WidgetProps } from './drawn';
import { Sampled, useSampleSteps } from './Sampled';
import { RING_WITHIN, usePointed } from './usePointed';
import { serviceNow } from '../../live/clock';
import { againSoon } from '../../parts/again';
import { useNotFetched } from '../../parts/Fetching';

const LEFT = 58;
const TOP = 16;
const HOURS = 24;

/** A field for each hour of each day, the darker the more; an empty one where nothing was measured. */
function HeatBody({ widget, sources: [source] }: WidgetProps): ReactNode {
  const { device, stream } = source;
  const days = numberOption(widget, 'days') ?? 14;
  const shows = String(optionOf(widget, 'shows'));
  const display = useDisplay()(stream);
  const box = useRef<HTMLDivElement>(null);
  const { width, height } = useSize(box);
  const { zone, dateOf, timeOf, day, clock, weekday } = dates();
  const asked = useQuery({
    queryKey: ['calendar', device?.id, stream.key, 'heat', days, zone],
    queryFn: async () => {
      const today = dateOf(serviceNow());
      const from = timeOf(today.getFullYear(), today.getMonth(), today.getDate() - days + 1);
      const query = { stream: stream.key, from, to: serviceNow() + 1000, step: 'hour' as const, zone };
      return (await api.call('calendar', { params: { device: device!.id }, query })).buckets;
    },
    enabled: device !== null,
    refetchInterval: againSoon(300_000),
    placeholderData: keepPreviousData,
  });
  useNotFetched(asked.error);
  const buckets = asked.data;
  const samples = useSampleSteps(source, 'hour', days * HOURS);
  const isKnown = samples !== null || buckets !== undefined;
  const shown = samples ?? buckets ?? [];
  const { pointed, point, keys } = usePointed(shown.length, HOURS);
  const looked = pointed === null ? undefined : shown[pointed];
  const values = shown.map((bucket) => bucketValue(bucket, shows, display));
  const known = values.filter((value) => value !== null);
  const [low, high] = [Math.min(...known), Math.max(...known)];
  const dayOf = (at: number): string => dateOf(at).toDateString();
  // Of each day the time of its first field.
  const rows = [...new Map([...shown].reverse().map(({ from }) => [dayOf(from), from]))].reverse();
  const words = (bucket: CalendarBucket): string => {
    const value = bucketValue(bucket, shows, display);
    const reading = value === null ? 'nothing' : bucketText(value, shows, display);
    return `${day(bucket.from)} ${clock(bucket.from)} · ${reading}`;
  };
  const cell = { width: (width - LEFT) / HOURS, height: (height - TOP) / Math.max(1, rows.length) };
  const inUnit = (value: number): string => bucketText(value, shows, display);
  return (
    <Sampled sample={samples !== null}>
      <Box sx={{ height: '100%', display: 'flex', flexDirection: 'column', minHeight: 0 }}>
        <Box
          role="status"
          // What changes by itself is not read out.
          aria-live={pointed === null ? 'off' : 'polite'}
          sx={{
            fontSize: '0.9rem',
            color: ink.soft,
            whiteSpace: 'nowrap',
            overflow: 'hidden',
            textOverflow: 'ellipsis',
          }}
        >
          {looked === undefined
            ? known.length === 0
              ? isKnown
                ? 'nothing measured'
                : ''
              : `${shows} of each hour, ${inUnit(low)} to ${inUnit(high)}`
            : words(looked)}
        </Box>
        <Box
          ref={box}
          {...keys}
          aria-roledescription="hours and days"
          aria-label={`${stream.title}: a field each hour, looked at by the arrow keys`}
          sx={{ flex: 1, minHeight: 0, overflow: 'clip', overflowClipMargin: '4px', ...RING_WITHIN }}
        >
          <Box
            component="svg"
            width={Math.max(0, width)}
            height={Math.max(0, height)}
            role="img"
            aria-label={`${stream.title}, ${shows} of each hour over ${counted(days, 'day')}: ${known.length === 0 ? 'nothing measured' : `${inUnit(low)} to ${inUnit(high)}`}`}
            onPointerLeave={() => point(null)}
            sx={{ display: 'block' }}
          >
            {[0, 6, 12, 18].map((hour) => (
              <text key={hour} x={LEFT + hour * cell.width} y={11} fontSize={11} fill={ink.soft}>
                {String(hour).padStart(2, '0')}
              </text>
            ))}
            {rows.map(([row, at], i) =>
              cell.height < 11 && i % 2 === 1 ? null : (
                <text key={row} x={0} y={TOP + (i + 0.5) * cell.height + 4} fontSize={11} fill={ink.soft}>
                  {weekday(at)}
                </text>
              ),
            )}
            {shown.map((bucket, i) => {
              const date = dateOf(bucket.from);
              const value = values[i] ?? null;
              const share = value === null ? 0 : high > low ? (value - low) / (high - low) : 0.5;
              return (
                <rect
                  key={bucket.from}
                  x={LEFT + date.getHours() * cell.width + 1}
                  y={TOP + rows.findIndex(([row]) => row === date.toDateString()) * cell.height + 1}
                  width={Math.max(1, cell.width - 2)}
                  height={Math.max(1, cell.height - 2)}
                  fill={value === null ? 'none' : ink.pool}
                  fillOpacity={0.08 + 0.92 * share}
                  stroke={i === pointed ? ink.ink : value === null ? ink.line : 'none'}
                  onPointerEnter={() => point(i)}
                />
              );
            })}
          </Box>
        </Box>
      </Box>
    </Sampled>
  );
}

export const heat: DrawnWidget = { Body: HeatBody, phoneHeight: 280 };
