import { useQueries, useQueryClient } from '@tanstack/react-query';
import { useMemo } from 'react';
import { levelsOn, nightsOf, readZones, type SunPlace } from '@peatmoor/core';
import type { Event, Note } from '@peatmoor/contract';
import { api, useRead } from '../api';
import { useDisplay } from '../parts/useDisplay';
import { useMay } from '../parts/useMay';
import type { Source } from '../dashboards/useCatalogue';
import { NO_MARKS, type ChartMarks } from './marks';

/** Days over which night is told from day. */
const MOST_NIGHTS = 12;
/** Events and notes of a device that are asked for at the most. */
export const MOST_MARKED = 500;
/** Bounds of what is asked for are rounded to this, so that a chart that goes on does not ask anew each second. */
const ROUND_MS = 60_000;

interface Wanted {
  limits: boolean;
  marks: boolean;
  zones: string;
}

/** What stands beside the lines of a chart: nights, zones, limits of rules, events and notes of its devices. */
export function useMarks(
  sources: readonly Source[],
  { from, to }: { from: number; to: number },
  { limits, marks, zones }: Wanted,
): ChartMarks {
  const displayOf = useDisplay();
  const devices = [...new Set(sources.flatMap(({ device }) => device?.id ?? []))];
  const keys = new Set(sources.map(({ stream }) => stream.key));
  const mayLook = useMay('look');
  const rules = useRead('listRules', undefined, limits && mayLook).data;
  const workspace = useRead('me').data?.workspace.place ?? null;
  const start = Math.floor(from / ROUND_MS) * ROUND_MS;
  const end = Math.ceil(to / ROUND_MS) * ROUND_MS;
  // Asked for in steps of the period, so that looking along it does not ask anew at each move.
  const step = 2 ** Math.ceil(Math.log2(Math.max(ROUND_MS * 60, end - start)));
  const since = Math.floor(start / step) * step;
  const until = Math.ceil(end / step) * step;
  const read = { staleTime: 60_000, enabled: marks && mayLook };
  const client = useQueryClient();
  /** Until the answer is there: what is known of the device from the period before, so that nothing vanishes for a moment. */
  const known =
    <T>(what: string, device: string) =>
    (): T[] | undefined =>
      client.getQueriesData<T[]>({ queryKey: [what, 'chart', device] }).findLast(([, data]) => data)?.[1];
  const events = useQueries({
    queries: devices.map((device) => ({
      ...read,
      queryKey: ['listEvents', 'chart', device, since, until],
      placeholderData: known<Event>('listEvents', device),
      // Opened before the period, an event may still lie in it.
      queryFn: (): Promise<Event[]> =>
        api.call('listEvents', { query: { device, since, to: until, limit: MOST_MARKED } }),
    })),
  });
  const notes = useQueries({
    queries: devices.map((device) => ({
      ...read,
      queryKey: ['listNotes', 'chart', device, since, until],
      placeholderData: known<Note>('listNotes', device),
      queryFn: (): Promise<Note[]> =>
        api.call('listNotes', {
          params: { device },
          query: { from: since, to: until, limit: MOST_MARKED },
        }),
    })),
  });
  const eventData = events.flatMap(({ data }) => data ?? []);
  const noteData = notes.flatMap(({ data }) => data ?? []);
  const first = sources[0];
  const place: SunPlace | null = first?.device?.place ?? workspace;
  const stamp = [
    eventData.map(({ id, closedAt }) => `${id}${closedAt}`).join(),
    noteData.map(({ id }) => id).join(),
    place?.lat,
    place?.lon,
    sources
      .map(
        ({ device, stream }) =>
          `${device?.id}${device?.kindId}${device?.labels.join()}${stream.key}${stream.unit}`,
      )
      .join(),
  ].join('|');
  return useMemo<ChartMarks>(
    () => ({
      ...NO_MARKS,
      nights: place === null ? [] : nightsOf(start, end, place, MOST_NIGHTS),
      zones:
        first === undefined
          ? []
          : zonesOf(zones).map((zone) => ({
              ...zone,
              min: zone.min === null ? null : displayOf(first.stream).convert(zone.min),
              max: zone.max === null ? null : displayOf(first.stream).convert(zone.max),
            })),
      limits: uniqueLimits(
        sources.flatMap(({ device, stream }) =>
          // A yes-or-no has no limit.
          device === null || stream.type === 'boolean'
            ? []
            : (rules ?? []).flatMap((rule) =>
                levelsOn(rule, device, stream.key).map((level) => ({
                  at: displayOf(stream).convert(level),
                  unit: displayOf(stream).unit,
                  words: rule.title,
                  urgent: rule.severity === 'urgent',
                })),
              ),
        ),
      ),
      events: eventData
        .filter(
          ({ stream, closedAt, openedAt }) => keys.has(stream) && openedAt < end && (closedAt ?? end) > start,
        )
        .map(({ openedAt, closedAt, severity }) => ({
          from: openedAt,
          to: closedAt,
          urgent: severity === 'urgent',
        })),
      notes: noteData.filter(({ at }) => at >= start && at <= end),
      isCut: [...events, ...notes].some(({ data }) => (data?.length ?? 0) >= MOST_MARKED),
    }),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [start, end, rules, stamp, zones, displayOf],
  );
}

/** Devices of a kind share most limits: each is drawn once. */
const uniqueLimits = (limits: ChartMarks['limits']): ChartMarks['limits'] => [
  ...new Map(limits.map((one) => [`${one.at} ${one.unit} ${one.words}`, one])).values(),
];

function zonesOf(text: string) {
  const zones = readZones(text);
  return typeof zones === 'string' ? [] : zones;
}
