import type { Logger } from 'pino';
import { now as clockNow } from '../clock';
import type { Registry } from '../registry';
import type { CommandRow } from '../store/models';
import type { Store } from '../store/store';
import type { Following } from './following';
import type { CommandLife } from './life';

/** How long after its time a command is looked at: what happened just then is written down by then. */
const AFTER_MS = 300;
/** How often what ends soon is looked for, so that what another service wrote is found too. */
const LOOK_MS = 30_000;
const MOST_AT_ONCE = 500;
const LONGEST_WAIT_MS = 2 ** 31 - 1;

interface Parts {
  store: Store;
  registry: Registry;
  life: CommandLife;
  following: Following;
  log: Logger;
}

/** Ends commands whose time is over: what was never told has expired; of what was told and never answered, nothing is known. */
export interface Deadlines {
  plan(until: number): void;
  stop(): void;
}

export function startDeadlines({ store, registry, life, following, log }: Parts): Deadlines {
  let timer: NodeJS.Timeout | undefined;
  let next = Infinity;
  let looking = false;
  const end = async (row: CommandRow): Promise<void> => {
    const entry = await registry.byRow(row.deviceRowId);
    const stream = entry?.streams.find(({ streamId }) => streamId === row.streamId);
    // Its control is gone, and nobody waits for it.
    if (entry === null || stream === undefined)
      return store.withConnection(async (connection) => {
        await connection.query(
          "UPDATE commands SET state = 'expired', followUntil = NULL WHERE id = ? AND state IN ('waiting', 'sent')",
          [row.id],
        );
      });
    const momentary = stream.holds === 'momentary';
    // A board that acknowledged it over MQTT has it; more is not to be expected of one that never says so.
    if (momentary && row.state === 'sent' && row.way === 'MQTT') return;
    if (momentary && row.way !== null)
      return life.happen(entry, row, 'unheard', 'it was told, and the device has not said what came of it');
    await life.happen(
      entry,
      row,
      'timed-out',
      row.state === 'waiting' ? 'the device was not reached in time' : 'it was not applied in time',
    );
  };
  const endFollowing = async (row: CommandRow): Promise<void> => {
    const entry = await registry.byRow(row.deviceRowId);
    if (entry !== null) await following.end(entry, row);
    // Whose device is gone, or whose end was another, is not looked at again for ever.
    await store.withConnection(async (connection) => {
      await connection.query('UPDATE commands SET followUntil = NULL WHERE id = ? AND followUntil = ?', [
        row.id,
        row.followUntil,
      ]);
    });
  };
  /** One that cannot be ended now keeps no other from its end. */
  const later = (error: Error): void =>
    log.warn({ err: error }, 'a command whose time is over is looked at later');
  const look = async (): Promise<void> => {
    next = Infinity;
    const due = clockNow() - AFTER_MS;
    const rows = await store.withConnection(
      async (connection) =>
        (await connection.query(
          "SELECT * FROM commands WHERE state IN ('waiting', 'sent') AND until <= ? AND NOT (state = 'sent' AND way <=> 'MQTT') ORDER BY until LIMIT ?",
          [due, MOST_AT_ONCE],
        )) as CommandRow[],
    );
    for (const row of rows) await end(row).catch(later);
    const unfollowed = await store.withConnection(
      async (connection) =>
        (await connection.query(
          'SELECT * FROM commands WHERE followUntil <= ? ORDER BY followUntil LIMIT ?',
          [due, MOST_AT_ONCE],
        )) as CommandRow[],
    );
    for (const row of unfollowed) await endFollowing(row).catch(later);
    if (unfollowed.length === MOST_AT_ONCE || rows.length === MOST_AT_ONCE) plan(due);
  };
  const run = (): void => {
    if (looking) return;
    looking = true;
    look()
      .catch((error: Error) => log.debug({ err: error }, 'commands whose time is over are looked at later'))
      .finally(() => (looking = false));
  };
  const plan = (until: number): void => {
    if (until >= next) return;
    next = until;
    clearTimeout(timer);
    timer = setTimeout(run, Math.min(LONGEST_WAIT_MS, Math.max(0, until - clockNow()) + AFTER_MS + 50));
  };
  // What waited to be followed when the service ended.
  const resume = async (): Promise<void> => {
    const rows = await store.withConnection(
      async (connection) =>
        (await connection.query(
          'SELECT * FROM commands WHERE followUntil IS NOT NULL ORDER BY id',
        )) as CommandRow[],
    );
    for (const row of rows) {
      following.note(row);
      plan(row.followUntil!);
    }
  };
  resume().catch((error: Error) => log.debug({ err: error }, 'what must follow is looked at as it ends'));
  const every = setInterval(run, LOOK_MS);
  run();
  return {
    plan,
    stop() {
      clearTimeout(timer);
      clearInterval(every);
    },
  };
}
