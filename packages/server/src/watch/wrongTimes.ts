import type { Connection } from 'mariadb';
import type { Logger } from 'pino';
import { clockIsPlainlyWrong, latestPossible, now as clockNow, onClockBack } from '../clock';
import type { Store } from '../store/store';

/** Where something of the database remembers a time, and how a time that was never is forgotten there. */
export interface TimePlace {
  what: string;
  /** `now`: the time; `latest`: the latest that anything can truly be of, both epoch ms. */
  forget(connection: Connection, now: number, latest: number): Promise<unknown>;
}

/** What was made at a time that was not yet: it was made now, and what was to be a while later is to be that while from now. */
const madeLater = (what: string, table: string, made: string, ...times: string[]): TimePlace => ({
  what,
  forget: (connection, now, latest) =>
    connection.query(
      `UPDATE ${table} SET ${times.map((time) => `${time} = ${time} - (${made} - ?), `).join('')}${made} = ? WHERE ${made} > ?`,
      [...times.map(() => now), now, latest],
    ),
});

/** An alert that was tried and failed is tried again within so long, and one that nobody tried waits for no more than a night, in ms. */
const TRIED_MS = 900_000;
const NIGHT_MS = 90_000_000;

/** All of them. What is remembered in memory hears of a clock that comes back (`onClockBack`) where it is remembered. */
export const TIME_PLACES: readonly TimePlace[] = [
  madeLater('sessions', 'sessions', 'createdAt', 'endsAt', 'seenAt'),
  madeLater('access keys', 'accessKeys', 'createdAt', 'endsAt', 'usedAt'),
  madeLater('invitations', 'invitations', 'createdAt', 'endsAt'),
  madeLater('claims', 'claims', 'createdAt', 'endsAt', 'endedAt'),
  madeLater('offers', 'offers', 'createdAt', 'endsAt'),
  madeLater(
    'commands',
    'commands',
    'createdAt',
    'until',
    'followUntil',
    'sentAt',
    'appliedAt',
    'confirmedAt',
  ),
  madeLater('what boards have of their controls', 'boardHas', 'at'),
  madeLater('mutes', 'mutes', 'madeAt', 'until'),
  madeLater('overrides of interlocks', 'overrides', 'madeAt', 'until'),
  {
    what: 'how long controls run and rest',
    forget: (connection, now) =>
      connection.query(
        `UPDATE runs r JOIN streams s ON s.id = r.streamId AND s.runAtMost IS NOT NULL
          SET r.runUntil = LEAST(r.runUntil, ? + 1000 * JSON_VALUE(s.runAtMost, '$.mostS')),
            r.restUntil = LEAST(r.restUntil, ? + 1000 * JSON_VALUE(s.runAtMost, '$.restS'))
          WHERE r.runUntil > ? + 1000 * JSON_VALUE(s.runAtMost, '$.mostS') OR r.restUntil > ? + 1000 * JSON_VALUE(s.runAtMost, '$.restS')`,
        [now, now, now, now],
      ),
  },
  madeLater('alerts', 'alerts', 'queuedAt', 'dueAt', 'sentAt'),
  madeLater('events', 'events', 'openedAt', 'closedAt', 'acknowledgedAt', 'remindAt', 'escalateAt'),
  madeLater('devices', 'devices', 'lastSeenAt'),
  madeLater('commits', 'journal', 'committedAt'),
  madeLater('what writers of the journal saw', 'journalWriters', 'clockAt'),
  {
    what: 'alerts that wait for another try',
    forget: (connection, now) =>
      connection.query(
        "UPDATE alerts SET dueAt = ? WHERE state = 'waiting' AND dueAt > ? + IF(attempts > 0, ?, ?)",
        [now, now, TRIED_MS, NIGHT_MS],
      ),
  },
  { what: 'reminders', forget: (connection, now) => nearer(connection, 'remindAt', 'repeatMs', now) },
  { what: 'escalations', forget: (connection, now) => nearer(connection, 'escalateAt', 'escalateMs', now) },
  {
    what: 'codes of second factors that were used',
    forget: (connection, now) =>
      connection.query('UPDATE users SET factorStep = ? WHERE factorStep > ?', [
        Math.floor(now / 30_000),
        Math.floor(now / 30_000) + 20,
      ]),
  },
  {
    what: 'sessions of boards',
    forget: (connection) =>
      connection.query('UPDATE lastingSessions SET at = NOW(3) WHERE at > NOW(3) + INTERVAL 1 HOUR'),
  },
  {
    what: 'signs of life of writers',
    forget: (connection) =>
      connection.query(
        'UPDATE journalWriters SET heartbeatAt = NOW(3) - INTERVAL 1 HOUR WHERE heartbeatAt > NOW(3) + INTERVAL 2 MINUTE',
      ),
  },
];

/** What is told again of an event after a while is told no later than that while from now. */
const nearer = (
  connection: Connection,
  column: 'remindAt' | 'escalateAt',
  setting: 'repeatMs' | 'escalateMs',
  now: number,
): Promise<unknown> =>
  connection.query(
    `UPDATE events e JOIN rules r ON r.id = e.ruleId SET e.${column} = ? + JSON_VALUE(r.more, '$.${setting}')
      WHERE e.closedAt IS NULL AND e.acknowledgedAt IS NULL AND e.${column} > ? + JSON_VALUE(r.more, '$.${setting}')`,
    [now, now],
  );

/** Forgets times that were never: as a service starts, and whenever its clock comes back from a later one. */
export function startForgettingTimes(store: Store, log: Logger): { stop(): void } {
  let under = Promise.resolve();
  let stopped = false;
  const forget = async (): Promise<void> => {
    // As long as the clock itself cannot be right, nothing is later than it.
    if (stopped || clockIsPlainlyWrong()) return;
    for (const { what, forget } of TIME_PLACES)
      await store
        .withConnection((connection) => forget(connection, clockNow(), latestPossible()))
        .catch((error: Error) => log.warn({ err: error, what }, 'times of a wrong clock are still kept'));
  };
  const run = (): void => void (under = under.then(forget));
  const silence = onClockBack(run);
  run();
  return {
    stop() {
      stopped = true;
      silence();
    },
  };
}
