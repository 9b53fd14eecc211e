import type { Logger } from 'pino';
import type { Bus } from '../bus';
import { now as clockNow, onClockBack } from '../clock';
import type { HistoryReader } from '../history/read';
import type { JournalWriter } from '../journal/writer';
import type { Registry } from '../registry';
import { findAll } from '../store/rows';
import type { Store } from '../store/store';
import { definitionOf, isWatched } from './definition';
import { usualOf } from './trying';

const LOOK_MS = 60_000;
const DAY_MS = 86_400_000;
const SOON_MS = 1000;
const REST_MS = 3_600_000;
/** Datastreams that are worked out in one look at the most. */
const MOST_AT_ONCE = 200;

interface Parts {
  store: Store;
  registry: Registry;
  history: HistoryReader;
  journal: JournalWriter;
  bus: Bus;
  log: Logger;
  /** True where this service works rules of a workspace, or of any, just now. */
  holds: (workspaceId?: number) => boolean;
}

/**
 * Works out every day what is usual in the datastreams that rules compare with it, and journals it: so it is an input of the rules
 * like any reading, and what is worked out again comes out the same.
 */
export function startUsual({ store, registry, history, journal, bus, log, holds }: Parts): {
  stop(): Promise<void>;
  look(): Promise<void>;
} {
  /** When a datastream was worked out last, by series. */
  const done = new Map<number, number>();
  let under: Promise<void> = Promise.resolve();
  let stopped = false;
  /** Nothing is left to do until then, unless a rule or a device changes. */
  let restUntil = -Infinity;
  const forgetFuture = onClockBack(() => {
    restUntil = -Infinity;
    done.clear();
  });

  const look = async (): Promise<void> => {
    if (!holds() || !journal.takes() || clockNow() < restUntil) return;
    const rules = (await findAll(store.models.rules, { where: { active: true } })).filter(
      (rule) =>
        holds(rule.workspaceId) && definitionOf(rule).conditions.some(({ sort }) => sort === 'unusual'),
    );
    if (rules.length === 0) return;
    const workspaces = [...new Set(rules.map(({ workspaceId }) => workspaceId))];
    const zones = new Map(
      (await findAll(store.models.workspaces, { where: { id: workspaces } })).map(
        ({ id, zone }) => [id, zone] as const,
      ),
    );
    const rows = await findAll(store.models.devices, {
      where: { workspaceId: workspaces },
      attributes: ['rowId'],
    });
    const entries = await registry.load(rows.map(({ rowId }) => rowId));
    let count = 0;
    for (const entry of entries.values())
      for (const rule of rules) {
        if (!isWatched(rule, entry)) continue;
        for (const { sort, stream: key, device } of definitionOf(rule).conditions) {
          if (sort !== 'unusual') continue;
          const where = device === null ? entry : entries.get(device);
          const stream = where?.streams.find((one) => one.key === key);
          const now = clockNow();
          if (stream === undefined || now - (done.get(stream.seriesId) ?? -Infinity) < DAY_MS) continue;
          if (++count > MOST_AT_ONCE || stopped) return;
          const hours = await usualOf(history, stream, zones.get(rule.workspaceId) ?? 'UTC', now);
          if (!journal.takes()) return;
          journal.addFact(rule.workspaceId, {
            kind: 'usual',
            series: stream.seriesId,
            at: now,
            hours: [...hours],
          });
          done.set(stream.seriesId, now);
        }
      }
    restUntil = clockNow() + REST_MS;
  };
  const run = (): Promise<void> =>
    (under = under
      .then(look)
      .catch((error: Error) => log.debug({ err: error }, 'what is usual is worked out later')));
  const timer = setInterval(() => void run(), LOOK_MS);
  let soon: NodeJS.Timeout | undefined;
  // A rule that was changed knows nothing any more.
  bus.on('rules', () => {
    done.clear();
    restUntil = -Infinity;
    clearTimeout(soon);
    soon = setTimeout(() => void run(), SOON_MS);
  });
  bus.on('definitions', () => void (restUntil = -Infinity));
  return {
    look: run,
    async stop() {
      stopped = true;
      forgetFuture();
      clearInterval(timer);
      clearTimeout(soon);
      await under;
    },
  };
}
