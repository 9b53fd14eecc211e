import type { Refusal } from '@peatmoor/core';
import type { Logger } from 'pino';
import type { Verbs } from '../../ingest/verbs';
import type { DeviceEntry, Registry } from '../../registry';
import { matches } from './filters';
import { publish, type Session } from './session';

/** Nobody waits here, so nobody goes. */
const NEVER = new AbortController().signal;
/** Bytes that may wait for a board before refusals to it are dropped, and before it is cut off. */
const DROP_BYTES = 64 * 1024;
const END_BYTES = 1024 * 1024;

/** How long a refusal is kept for a program that subscribes later, in ms; how many of one device, and of how many. */
const LATE_MS = 60_000;
const LATE_OF_ONE = 10;
const LATE_DEVICES = 2000;

interface LateRefusal {
  refusal: Refusal;
  forDevice: string | null;
  /** The session that was told it last. */
  heardBy: Session | null;
}

/** The newest refusals of devices, for a minute. */
function createLate(): {
  keep(deviceRowId: number, one: LateRefusal): void;
  of(deviceRowId: number): LateRefusal[];
} {
  const kept = new Map<number, (LateRefusal & { at: number })[]>();
  const fresh = (rowId: number): (LateRefusal & { at: number })[] => {
    const oldest = performance.now() - LATE_MS;
    return (kept.get(rowId) ?? []).filter(({ at }) => at >= oldest);
  };
  return {
    keep(rowId, one) {
      const all = [...fresh(rowId), { ...one, at: performance.now() }].slice(-LATE_OF_ONE);
      // The device whose refusal is oldest goes first.
      kept.delete(rowId);
      kept.set(rowId, all);
      if (kept.size > LATE_DEVICES) kept.delete(kept.keys().next().value!);
    },
    of: fresh,
  };
}

const topicOf = (session: Session, forDevice: string | null): string => {
  const root = `moor/${session.entry.id}/`;
  const apart = `${root}for/${forDevice}/refused`;
  return forDevice !== null && session.filters.hear(apart) ? apart : `${root}refused`;
};

function tellRefusal(session: Session, topic: string, refusal: Refusal): void {
  publish(session.client, topic, JSON.stringify(refusal), 0).catch(() => undefined);
}

/** What a session is told: wanted values, and why something was refused. */
export interface Telling {
  /** Tells wanted values on filters that the session has newly subscribed to, once for all that come together. */
  wantedOn(session: Session, filter: string): void;
  refused(session: Session, refusal: Refusal, forDevice: string | null): void;
  /** Tells a session that has newly subscribed what was refused of its device within the last minute. */
  refusedOn(session: Session, filter: string): void;
}

interface Parts {
  registry: Registry;
  verbs: Verbs;
  log: Logger;
}

export function createTelling({ registry, verbs, log }: Parts): Telling {
  const late = createLate();
  const tellOne = async (
    session: Session,
    fresh: Set<string>,
    target: DeviceEntry,
    path: string,
  ): Promise<void> => {
    const root = `moor/${session.entry.id}/`;
    const { list } = await verbs.wanted(target, { waitMs: 0, n: null, gone: NEVER });
    for (const wanted of list) {
      const topic = `${root}${path}${wanted.name}`;
      if (![...fresh].some((filter) => matches(filter, topic))) continue;
      await session.want(`${path}${wanted.name}`, wanted.value, verbs.pressOf(wanted));
      await verbs.told(target, [wanted]);
    }
  };
  const tell = async (session: Session, fresh: Set<string>): Promise<void> => {
    // Read anew: the definitions may have changed since this session began.
    const current = (await registry.byRow(session.deviceRowId)) ?? session.entry;
    const root = `moor/${current.id}/`;
    await tellOne(session, fresh, current, 'wanted/');
    if (![...fresh].some((filter) => filter.startsWith(`${root}for/`) || filter === `${root}#`)) return;
    for (const sub of await registry.behind(current))
      await tellOne(session, fresh, sub, `for/${sub.serial ?? sub.id}/wanted/`);
  };
  return {
    wantedOn(session, filter) {
      if (session.fresh !== null) return void session.fresh.add(filter);
      session.fresh = new Set([filter]);
      setImmediate(() => {
        const fresh = session.fresh!;
        session.fresh = null;
        tell(session, fresh).catch((error: Error) =>
          log.debug({ err: error }, 'wanted values wait for the next connection'),
        );
      });
    },
    refused(session, refusal, forDevice) {
      // A board that does not read costs nobody else anything.
      const queued = session.client.conn.queuedBytes;
      if (queued > END_BYTES) return session.close();
      if (queued > DROP_BYTES) return;
      const topic = topicOf(session, forDevice);
      const isHeard = session.filters.hear(topic);
      late.keep(session.deviceRowId, { refusal, forDevice, heardBy: isHeard ? session : null });
      if (isHeard) tellRefusal(session, topic, refusal);
    },
    refusedOn(session, filter) {
      const waiting = late.of(session.deviceRowId).filter((one) => one.heardBy !== session);
      if (waiting.length === 0) return;
      // After the acknowledgement of the subscription.
      setImmediate(() => {
        for (const one of waiting) {
          const topic = topicOf(session, one.forDevice);
          if (!matches(filter, topic)) continue;
          one.heardBy = session;
          tellRefusal(session, topic, one.refusal);
        }
      });
    },
  };
}
