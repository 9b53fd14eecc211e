import { isRefusal, showDuration, takeWanted, type RunAtMost } from '@peatmoor/core';
import type { Connection } from 'mariadb';
import type { Logger } from 'pino';
import { now as clockNow } from '../clock';
import type { DeviceEntry, DeviceStream, Registry } from '../registry';
import type { Store } from '../store/store';
import { RestsError } from './barred';

/** How often a report of a board that a control runs is written down at the most, in ms. */
const NOTE_EVERY_MS = 5000;
const MOST_AT_ONCE = 200;

type Place = Pick<DeviceEntry, 'workspaceId'> & { deviceRowId: number; control: DeviceStream };

/** True where this is the value at which a control may stay for a while only. */
export function isRun(
  control: DeviceStream,
  value: number | string,
): control is DeviceStream & { runAtMost: RunAtMost } {
  if (control.runAtMost === null) return false;
  const taken = takeWanted(control, control.runAtMost.value);
  return !isRefusal(taken) && taken.value === value;
}

/** Until when a control runs, and rests, epoch ms; null where it does not. */
export async function runOf(
  connection: Connection,
  { deviceRowId, streamId }: { deviceRowId: number; streamId: number },
): Promise<{ runUntil: number | null; restUntil: number | null }> {
  const [row] = (await connection.query(
    'SELECT runUntil, restUntil FROM runs WHERE deviceRowId = ? AND streamId = ?',
    [deviceRowId, streamId],
  )) as { runUntil: number | null; restUntil: number | null }[];
  const number = (value: number | null | undefined): number | null => (value == null ? null : Number(value));
  return { runUntil: number(row?.runUntil), restUntil: number(row?.restUntil) };
}

/** Until when a control rests that would be run now, epoch ms; null where it may run. */
export async function restOf(
  connection: Connection,
  { deviceRowId, control, value, now }: Omit<Place, 'workspaceId'> & { value: number | string; now: number },
): Promise<number | null> {
  if (!isRun(control, value)) return null;
  const { restUntil } = await runOf(connection, { deviceRowId, streamId: control.streamId });
  // One that was written by a clock that was wrong says nothing.
  if (restUntil === null || restUntil <= now || restUntil > now + control.runAtMost.restS * 1000) return null;
  return restUntil;
}

/** Refuses to run what rests, in the transaction that would write it. Throws RestsError. */
export async function demandRested(
  connection: Connection,
  place: Omit<Place, 'workspaceId'> & { value: number | string; now: number },
): Promise<void> {
  const until = await restOf(connection, place);
  if (until !== null) throw new RestsError(place.control.title, until, place.now);
}

/** Something else is wanted of a control: what ran rests from now on. In the transaction that wrote the command. */
export async function noteWanted(
  connection: Connection,
  { deviceRowId, control, value, now }: Omit<Place, 'workspaceId'> & { value: number | string; now: number },
  commandId: number,
): Promise<void> {
  if (control.runAtMost === null || isRun(control, value)) return;
  await connection.query(
    'UPDATE runs SET runUntil = NULL, restUntil = ?, endedBy = ? WHERE deviceRowId = ? AND streamId = ? AND runUntil IS NOT NULL',
    [now + control.runAtMost.restS * 1000, commandId, deviceRowId, control.streamId],
  );
}

/** Keeps how long controls run, and rest. */
export interface Runs {
  /** The board was told a value, or has applied it. */
  told(entry: DeviceEntry, control: DeviceStream, value: number | string, commandId: number): Promise<void>;
  /** The board reports what a control has. */
  reported(entry: DeviceEntry, control: DeviceStream, value: number | string): void;
  /** Ends the runs whose time is over: `end` wants what comes then. */
  endDue(end: (due: DueRun) => Promise<void>): Promise<void>;
}

export interface DueRun {
  entry: DeviceEntry;
  control: DeviceStream & { runAtMost: RunAtMost };
  userName: string;
  /** Takes the right to end it; false where another has. */
  claim: (connection: Connection) => Promise<boolean>;
}

export function createRuns(store: Store, registry: Registry, log: Logger): Runs {
  /** What boards reported of a control last, and when it was written down, by the passing of time. */
  const noted = new Map<string, { runs: boolean; at: number }>();
  const begin = async (
    { rowId, workspaceId }: DeviceEntry,
    { streamId, runAtMost }: DeviceStream & { runAtMost: RunAtMost },
    commandId: number | null,
  ): Promise<void> => {
    const now = clockNow();
    await store.withConnection((connection) =>
      connection.query(
        // A command that is not the newest any more runs nothing; a board that says so while it is to rest is told so already.
        `INSERT INTO runs (deviceRowId, streamId, workspaceId, runUntil) SELECT ?, ?, ?, ? FROM DUAL
          WHERE ? IS NULL OR ? = (SELECT MAX(id) FROM commands WHERE deviceRowId = ? AND streamId = ?)
          ON DUPLICATE KEY UPDATE runUntil = IF(? IS NULL AND restUntil > ?, runUntil, COALESCE(runUntil, VALUES(runUntil))),
            restUntil = IF(runUntil IS NULL, restUntil, NULL)`,
        [
          rowId,
          streamId,
          workspaceId,
          now + runAtMost.mostS * 1000,
          commandId,
          commandId,
          rowId,
          streamId,
          commandId,
          now,
        ],
      ),
    );
  };
  const note = async (entry: DeviceEntry, control: DeviceStream, runs: boolean): Promise<void> => {
    if (runs) return begin(entry, control as DeviceStream & { runAtMost: RunAtMost }, null);
    const now = clockNow();
    // While it is wanted to run its time goes on: a board may have ended it by itself, and what comes then is wanted in any case.
    const taken = takeWanted(control, control.runAtMost!.value);
    const [number, text] = isRefusal(taken)
      ? [null, null]
      : typeof taken.value === 'string'
        ? [null, taken.value]
        : [taken.value as number, null];
    await store.withConnection((connection) =>
      connection.query(
        `UPDATE runs SET runUntil = NULL, restUntil = ?, endedBy = NULL WHERE deviceRowId = ? AND streamId = ? AND runUntil IS NOT NULL
          AND NOT EXISTS (SELECT 1 FROM (SELECT value, textValue FROM commands WHERE deviceRowId = ? AND streamId = ? ORDER BY id DESC LIMIT 1) n
            WHERE n.value = ? OR n.textValue = ?)`,
        [
          now + control.runAtMost!.restS * 1000,
          entry.rowId,
          control.streamId,
          entry.rowId,
          control.streamId,
          number,
          text,
        ],
      ),
    );
  };
  return {
    async told(entry, control, value, commandId) {
      if (control.runAtMost === null) return;
      if (isRun(control, value)) return begin(entry, control, commandId);
      // It rests from when the board knows.
      await store.withConnection((connection) =>
        connection.query(
          'UPDATE runs SET restUntil = ? WHERE deviceRowId = ? AND streamId = ? AND endedBy = ? AND runUntil IS NULL',
          [clockNow() + control.runAtMost!.restS * 1000, entry.rowId, control.streamId, commandId],
        ),
      );
    },
    reported(entry, control, value) {
      if (control.runAtMost === null) return;
      const place = `${entry.rowId}/${control.streamId}`;
      const runs = isRun(control, value);
      const before = noted.get(place);
      const now = performance.now();
      if (before?.runs === runs && now - before.at < NOTE_EVERY_MS) return;
      noted.set(place, { runs, at: now });
      note(entry, control, runs).catch((error: Error) => {
        noted.delete(place);
        log.debug({ err: error }, 'how long a control runs is noted with its next report');
      });
    },
    async endDue(end) {
      const now = clockNow();
      const rows = (await store.withConnection((connection) =>
        connection.query(
          'SELECT deviceRowId, streamId, workspaceId, runUntil FROM runs WHERE runUntil <= ? ORDER BY runUntil LIMIT ?',
          [now, MOST_AT_ONCE],
        ),
      )) as { deviceRowId: number; streamId: number; workspaceId: number; runUntil: number }[];
      for (const { deviceRowId, streamId, runUntil } of rows) {
        const entry = await registry.byRow(deviceRowId);
        const control = entry?.streams.find((one) => one.streamId === streamId);
        const mine = 'deviceRowId = ? AND streamId = ? AND runUntil = ?';
        if (entry === null || control?.runAtMost == null) {
          // Its bound was taken away.
          await store.withConnection((connection) =>
            connection.query(`DELETE FROM runs WHERE ${mine}`, [deviceRowId, streamId, runUntil]),
          );
          continue;
        }
        await end({
          entry,
          control: control as DueRun['control'],
          userName: `run at most ${showDuration(control.runAtMost.mostS * 1000)}`,
          claim: async (connection) =>
            (
              (await connection.query(`SELECT 1 FROM runs WHERE ${mine} FOR UPDATE`, [
                deviceRowId,
                streamId,
                runUntil,
              ])) as unknown[]
            ).length === 1,
        }).catch((error: Error) =>
          log.warn({ err: error, device: entry.id }, 'a run whose time is over is ended later'),
        );
      }
    },
  };
}
