import { asStored, DAY_MS, isNumeric } from '@peatmoor/core';
import { group } from 'd3-array';
import type { DeviceStream } from '../registry';
import type { Store } from '../store/store';
import { readOthers } from './others';
import type { HistoryReader } from './read';
import type { Recent } from './recent';

/** A reading of an import. */
interface Brought {
  stream: DeviceStream;
  at: number;
}

/** Readings that a part of a day may have of texts and places. */
const MOST_OTHERS = 100_000;

/**
 * Gives readings that are brought back the times under which they are stored already, so that nothing is doubled: a file shows whole
 * milliseconds. Changes the times of what it is given.
 */
export async function meetStored<B extends Brought>(
  { store, history, recent }: { store: Store; history: HistoryReader; recent: Recent },
  brought: readonly B[],
): Promise<void> {
  for (const [seriesId, all] of group(brought, ({ stream }) => stream.seriesId)) {
    const { stream } = all[0]!;
    const there = isNumeric(stream) ? await daysOf(store, recent, seriesId) : null;
    for (const [day, ofDay] of group(all, ({ at }) => Math.floor(at / DAY_MS))) {
      if (there?.has(day) === false) continue;
      const [from, to] = [day * DAY_MS, (day + 1) * DAY_MS];
      const stored = isNumeric(stream)
        ? await numbersOf(history, seriesId, from, to)
        : (await readOthers(store, stream, from, to, MOST_OTHERS, 'oldest first')).map(({ at }) => at);
      if (stored.length === 0) continue;
      asStored(
        ofDay.map(({ at }) => at),
        stored,
      ).forEach((at, i) => (ofDay[i]!.at = at));
    }
  }
}

/** Days of which there are readings: the others need not be looked at. */
async function daysOf(store: Store, recent: Recent, seriesId: number): Promise<Set<number>> {
  const rows = (await store.withConnection((connection) =>
    connection.query('SELECT DISTINCT day FROM chunks WHERE seriesId = ?', [seriesId]),
  )) as { day: number }[];
  return new Set([
    ...rows.map(({ day }) => Number(day)),
    ...recent.of(seriesId).times.map((at) => Math.floor(at / DAY_MS)),
  ]);
}

async function numbersOf(
  history: HistoryReader,
  seriesId: number,
  from: number,
  to: number,
): Promise<number[]> {
  const times: number[] = [];
  for await (const [part] of history.parts([{ seriesId, calibrations: [] }], from, to))
    times.push(...part!.times);
  return times;
}
