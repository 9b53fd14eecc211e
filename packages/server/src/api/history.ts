import { isNumeric, isScalar } from '@peatmoor/core';
import type { HistoryLine, OthersQuery } from '@peatmoor/contract';
import { readOthers } from '../history/others';

import { shownTime } from '../ingest/times';
import { wrongField } from '../problems';
import type { DeviceEntry, DeviceStream } from '../registry';
import { devicesSeen, narrowed } from '../sharing/reach';
import { listIn } from '../store/rows';
import { backTo, streamOf } from './data';
import { deviceOf, type ApiParts, type Handlers } from './context';
import { now as clockNow } from '../clock';

const HOUR_MS = 3_600_000;
/** Longest period that is given as single readings. */
const MOST_RAW_MS = 32 * 86_400_000;

/** Devices of an overview in one answer at the most. */
const MOST_IN_SIGHT = 300;

const OTHERS = { text: 'texts', location: 'locations', image: 'images' };

type HistoryHandlers = Pick<Handlers, 'history' | 'overview' | 'listOthers'>;

export function historyHandlers(parts: ApiParts): HistoryHandlers {
  const { store, registry, history } = parts;
  const streamsOf = (entry: DeviceEntry, text: string): DeviceStream[] =>
    text.split(',').map((name) => {
      const stream = entry.names.find(name.trim());
      if (stream === undefined) {
        const nearest = entry.names.nearest(name);
        throw wrongField(
          'streams',
          `: "${name}" is not a datastream of ${entry.name}`,
          nearest === undefined ? 'See its kind for what there is.' : `The nearest is "${nearest}".`,
        );
      }
      if (!isNumeric(stream))
        throw wrongField(
          'streams',
          `: "${stream.key}" holds ${OTHERS[stream.type as keyof typeof OTHERS]}, not numbers`,
          `Ask for them at /api/devices/${entry.id}/others?stream=${stream.key}.`,
        );
      return stream;
    });
  return {
    history: async ({ scope, params, query }) => {
      const entry = await deviceOf(parts, scope, params.device);
      const { to, buckets } = query as { to: number; buckets: number };
      const from = backTo(scope, query.from as number, to);
      const streams = streamsOf(entry, String(query.streams));
      const withChoices = (lines: HistoryLine[]): HistoryLine[] =>
        lines.map((line, i) =>
          streams[i]!.type === 'choice' ? { ...line, choices: streams[i]!.choices } : line,
        );
      if (buckets > 0)
        return { from, to, lines: withChoices(await history.lines(streams, from, to, buckets)) };
      if (to - from > MOST_RAW_MS)
        throw wrongField(
          'from',
          'lies more than 32 days before to',
          'Ask for a shorter period, or for buckets.',
        );
      const lines = await Promise.all(
        streams.map(async (stream): Promise<HistoryLine> => {
          const { times, values, cut } = await history.readings(stream, from, to);
          return {
            key: stream.key,
            spanMs: 0,
            times: times.map(shownTime),
            values,
            min: [],
            max: [],
            count: [],
            cut: cut ? 1 : 0,
          };
        }),
      );
      return { from, to, lines: withChoices(lines) };
    },
    listOthers: async ({ scope, params, query }) => {
      const entry = await deviceOf(parts, scope, params.device);
      const { stream: name, to, limit } = query as unknown as OthersQuery;
      const from = backTo(scope, (query as unknown as OthersQuery).from, to);
      const stream = streamOf(entry, name);
      if (isNumeric(stream))
        throw wrongField(
          'stream',
          `"${stream.key}" is kept as numbers`,
          'Ask for its history; here are texts, locations and images.',
        );
      const rows = await readOthers(store, stream, from, to, limit + 1);
      return {
        key: stream.key,
        readings: rows.slice(0, limit).map(({ at, value }) => ({ at: shownTime(at), value })),
        cut: rows.length > limit,
      };
    },
    overview: async ({ scope, query }) => {
      const to = clockNow();
      const from = to - Number(query.hours) * HOUR_MS;
      const ids =
        query.devices === undefined ? null : String(query.devices).split(',').slice(0, MOST_IN_SIGHT);
      const seen = devicesSeen(scope);
      const devices = await listIn(store.models.devices, scope.workspaceId, {
        where: { ...(ids !== null && { id: ids }), ...(seen !== null && { rowId: seen }) },
        order: ['name', 'rowId'],
        limit: MOST_IN_SIGHT,
      });
      const loaded = await registry.load(devices.map(({ rowId }) => rowId));
      const entries = [...loaded.values()].map((entry) => narrowed(scope, entry));
      const leftOut = new Map(scope.choices.leftOut.map(({ kind, streams }) => [kind, new Set(streams)]));
      const wanted = entries.flatMap((entry) =>
        entry.streams
          .filter(
            (stream) =>
              isScalar(stream) &&
              stream.direction !== 'control' &&
              leftOut.get(entry.kindId)?.has(stream.key) !== true,
          )
          .map(({ key, seriesId, calibrations }) => ({ device: entry.id, key, seriesId, calibrations })),
      );
      // Many lines are drawn from hours, few from quarter hours.
      const lines = await history.lines(wanted, from, to, wanted.length > 120 ? 26 : 97);
      return { from, to, lines: lines.map((line, i) => ({ ...line, device: wanted[i]!.device })) };
    },
  };
}
