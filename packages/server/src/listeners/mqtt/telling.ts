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

/** What a session is told: wanted values, and why something was refused. */
export interface Telling {
  /** Tells wanted values on filters that the session has newly subscribed to, once for all that come together. */
  wantedOn(session: Session, filter: string): void;
  refused(session: Session, refusal: Refusal, forDevice: string | null): void;
}

interface Parts {
  registry: Registry;
  verbs: Verbs;
  log: Logger;
}

export function createTelling({ registry, verbs, log }: Parts): Telling {
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
      const root = `moor/${session.entry.id}/`;
      const apart = `${root}for/${forDevice}/refused`;
      const topic = forDevice !== null && session.filters.hear(apart) ? apart : `${root}refused`;
      if (session.filters.hear(topic))
        publish(session.client, topic, JSON.stringify(refusal), 0).catch(() => undefined);
    },
  };
}
