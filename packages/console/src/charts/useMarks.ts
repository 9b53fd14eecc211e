import { useQueries } from '@tanstack/react-query';
import { useMemo } from 'react';
import { nightsOf, readZones, type SunPlace } from '@peatmoor/core';
import type { Event, Note } from '@peatmoor/contract';
import { api, useRead } from '../api';
import { useDisplay } from '../parts/useDisplay';
import { useMay } from '../parts/useMay';
import type { Source } from '../dashboards/useCatalogue';
import { NO_MARKS, type ChartMarks } from './marks';

/** Days over which night is told from day. */
const MOST_NIGHTS = 12;
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
  const week = Math.max(ROUND_MS * 60, (end - start) * 2);
  const read = { staleTime: 60_000, enabled: marks && mayLook };
  const events = useQueries({
    queries: devices.map((device) => ({
      ...read,
      // Open before the period, an event may still lie in it.
      queryKey: ['listEvents', 'chart', device, Math.floor((start - week) / week), Math.ceil(end / week)],
      queryFn: (): Promise<Event[]> =>
        api.call('listEvents', { query: { device, from: start - week, limit: 200 } }),
    })),
  });
  const notes = useQueries({
    queries: devices.map((device) => ({
      ...read,
      queryKey: ['listNotes', 'chart', device],
      queryFn: (): Promise<Note[]> => api.call('listNotes', { params: { device }, query: { limit: 200 } }),
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
    sources.map(({ device, stream }) => `${device?.id}${stream.key}${stream.unit}`).join(),
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
      limits: (rules ?? []).flatMap((rule) => {
        const source = sources.find(
          ({ device, stream }) =>
            stream.key === rule.stream &&
            (rule.deviceId === null ? rule.kindId === device?.kindId : rule.deviceId === device?.id),
        );
        // Only a value that is crossed is a line on the chart.
        const { limit, comparison } = rule;
        if (
          source === undefined ||
          !rule.active ||
          limit === undefined ||
          !(comparison === 'above' || comparison === 'below')
        )
          return [];
        // Only the scale on the left is marked, and a yes-or-no has no limit on it.
        if (source.stream.type === 'boolean' || source.stream.unit !== first?.stream.unit) return [];
        return [
          {
            at: displayOf(source.stream).convert(limit),
            words: rule.title,
            urgent: rule.severity === 'urgent',
          },
        ];
      }),
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
    }),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [start, end, rules, stamp, zones, displayOf],
  );
}

function zonesOf(text: string) {
  const zones = readZones(text);
  return typeof zones === 'string' ? [] : zones;
}
