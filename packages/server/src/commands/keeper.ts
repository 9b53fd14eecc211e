import { isRefusal, takeWanted } from '@peatmoor/core';
import type { Logger } from 'pino';
import { now as clockNow } from '../clock';
import type { Registry } from '../registry';
import { stoodStill, wentOn } from '../standing';
import type { Store } from '../store/store';
import type { CommandBook } from './commands';
import { heldBy, openInterlocks, overrideOf, type OpenInterlock } from './interlocks';
import { BarredError } from './barred';
import { ClaimedError, newestOf } from './keeping';
import { valueOf } from './life';
import { restOf, type DueRun, type Runs } from './runs';

/** How often it is looked at the latest: an override may have ended, an event been opened elsewhere. */
const LOOK_MS = 2000;
/** What a board has refused is asked of it again so often. */
const AGAIN_MS = 60_000;

/** Keeps controls at the values that interlocks hold them at, and ends what ran for as long as it may. */
export interface Keeper {
  /** An event may have opened or closed, a rule or an override have changed. */
  wake(): void;
  stop(): Promise<void>;
}

interface Parts {
  store: Store;
  registry: Registry;
  commands: CommandBook;
  runs: Runs;
  log: Logger;
}

/**
 * Wants of each control what its interlock holds it at, wherever something else was wanted last: what holds is worked out from the events
 * that are open, so that nothing is missed over a restart, and where none is open nothing is done.
 */
export function startKeeper({ store, registry, commands, runs, log }: Parts): Keeper {
  let stopped = false;
  let running: Promise<void> | null = null;
  let again = false;
  /** When a value was wanted of a control that had refused it. */
  const triedAt = new Map<string, number>();

  const keep = async (one: OpenInterlock): Promise<void> => {
    const [deviceRowId, key] = one.control.split('/');
    const entry = await registry.byRow(Number(deviceRowId));
    const control = entry?.streams.find((stream) => stream.key === key);
    if (entry == null || entry.workspaceId !== one.workspaceId || control === undefined) return;
    const { streamId } = control;
    const taken = takeWanted(control, one.value);
    if (isRefusal(taken)) return;
    const newest = await newestOf(store, entry.rowId, streamId);
    if (newest !== null && valueOf(newest) === taken.value) {
      const isOut = newest.state === 'refused' || newest.state === 'expired';
      if (!isOut) return void triedAt.delete(one.control);
      if (performance.now() - (triedAt.get(one.control) ?? -Infinity) < AGAIN_MS) return;
    }
    const over = await store.withConnection((connection) =>
      overrideOf(connection, { deviceRowId: entry.rowId, streamId, now: clockNow() }),
    );
    if (over !== null) return;
    const rests = await store.withConnection((connection) =>
      restOf(connection, {
        deviceRowId: entry.rowId,
        control,
        value: taken.value as number | string,
        now: clockNow(),
      }),
    );
    if (rests !== null) return;
    triedAt.set(one.control, performance.now());
    await commands
      .want(entry, control.key, one.value, {
        userName: `event ${one.event}: ${one.title}`.slice(0, 80),
        eventId: one.event,
        by: 'interlock',
      })
      .catch(leaveToOthers);
  };
  /** Another node has done it, or it has begun to rest meanwhile. */
  const leaveToOthers = (error: Error): undefined => {
    if (!(error instanceof ClaimedError || error instanceof BarredError)) throw error;
  };
  const endRun = async ({ entry, control, userName, claim }: DueRun): Promise<void> => {
    const outcome = await commands
      .want(entry, control.key, control.runAtMost.then, { userName, claim, by: 'run' })
      .catch(leaveToOthers);
    if (outcome !== undefined && isRefusal(outcome)) throw new Error(outcome.hint);
  };
  const look = async (): Promise<void> => {
    do {
      again = false;
      await runs.endDue(endRun);
      const open = await store.withConnection((connection) => openInterlocks(connection, null));
      const held = heldBy(open);
      for (const control of triedAt.keys()) if (!held.has(control)) triedAt.delete(control);
      // None waits for another: one that fails is looked at again.
      await Promise.all(
        [...held.values()].map((one) =>
          keep(one).catch((error: Error) =>
            log.warn({ err: error, rule: one.rule }, 'an interlock is tried again'),
          ),
        ),
      );
    } while (again && !stopped);
  };
  const wake = (): void => {
    again = true;
    if (running !== null || stopped) return;
    running = look()
      .then(
        () => wentOn('Keeping interlocks'),
        (error: Error) => {
          stoodStill('Keeping interlocks', error);
          log.debug({ err: error }, 'interlocks wait');
        },
      )
      .finally(() => (running = null));
  };
  const timer = setInterval(wake, LOOK_MS);
  return {
    wake,
    async stop() {
      stopped = true;
      clearInterval(timer);
      await running;
    },
  };
}
