import { isRefusal, lastDue, nextDue, type Due } from '@peatmoor/core';
import type { Logger } from 'pino';
import { Op } from 'sequelize';
import type { Bus } from '../bus';
import { now as clockNow, onClockBack } from '../clock';
import { BarredError } from '../commands/barred';
import { ClaimedError, type CommandBook } from '../commands/commands';
import type { Registry } from '../registry';
import type { TimetableRow } from '../store/models';
import { changeIn, findAll, findOne } from '../store/rows';
import type { Store } from '../store/store';
import { placeOfWorkspace, timetablePlace } from './place';
import { stoodStill, wentOn } from '../standing';

/** What is wanted later than this after its time was missed, in ms. */
const MISSED_MS = 60_000;
/** A missed value is looked for so far back: every set time comes round in a week. */
const BACK_MS = 8 * 86_400_000;
const LOOK_MS = 15_000;
const MOST_AT_ONCE = 200;
const LONGEST_NOTE = 200;

interface Parts {
  store: Store;
  registry: Registry;
  commands: CommandBook;
  bus: Bus;
  log: Logger;
}

/** Wants values at set times. */
export interface Timetables {
  /** Works out when the timetables of a workspace, or of one device, are next due: their clock or sun may be another. */
  replan(workspaceId: number, deviceRowId?: number): Promise<void>;
  /** When a timetable is next due, from its set times and where its device is. */
  nextOf(row: Pick<TimetableRow, 'deviceRowId' | 'workspaceId' | 'times' | 'active'>): Promise<Due | null>;
  /** Something is due at this time. */
  plan(at: number | null): void;
  stop(): void;
}

/**
 * Of several services on a database each may find a timetable due; the one that moves its next time on, in the transaction that
 * writes the command, is the one that wants the value.
 */
export function startTimetables({ store, registry, commands, bus, log }: Parts): Timetables {
  const { timetables, devices, workspaces } = store.models;
  let timer: NodeJS.Timeout | undefined;
  let planned = Infinity;
  let under = Promise.resolve();
  let ended = false;

  const placeOf = async (row: Pick<TimetableRow, 'deviceRowId' | 'workspaceId'>) => {
    const workspace = await findOne(workspaces, { id: row.workspaceId });
    const device = await findOne(devices, { rowId: row.deviceRowId });
    return workspace === null || device === null
      ? null
      : timetablePlace({ zone: workspace.zone, place: placeOfWorkspace(workspace) }, device);
  };

  /** Moves a timetable on from the time it stood at; false where another was faster. */
  const move = (row: TimetableRow, next: number | null, note: string) =>
    changeIn(timetables, row.workspaceId, { id: row.id, nextAt: row.nextAt }, { nextAt: next, note });

  const want = async (row: TimetableRow): Promise<void> => {
    const place = await placeOf(row);
    const entry = await registry.byRow(row.deviceRowId);
    const stream = entry?.streams.find(({ streamId }) => streamId === row.streamId);
    if (place === null || entry === null || stream === undefined) return void (await move(row, null, ''));
    const now = clockNow();
    const next = nextDue(row.times, now, place)?.at ?? null;
    const missed = now - row.nextAt! > MISSED_MS;
    if (missed && (!row.catchUp || stream.holds === 'momentary'))
      return void (await move(
        row,
        next,
        row.catchUp ? 'a press that was missed is not made up' : 'missed a set time',
      ));
    const due = lastDue(row.times, Math.max(row.nextAt! - 1, now - BACK_MS), now, place);
    if (due === null) return void (await move(row, next, row.note));
    try {
      const outcome = await commands.want(entry, stream.key, row.times[due.index]!.value, {
        userName: `timetable “${row.title}”`.slice(0, 80),
        async claim(connection) {
          const { affectedRows } = (await connection.query(
            "UPDATE timetables SET nextAt = ?, note = '' WHERE id = ? AND nextAt = ? AND active = 1",
            [next, row.id, row.nextAt],
          )) as { affectedRows: number };
          return affectedRows === 1;
        },
      });
      if (isRefusal(outcome))
        await move(row, next, `${row.times[due.index]!.value}: ${outcome.hint}`.slice(0, LONGEST_NOTE));
    } catch (error) {
      // It obeys an interlock and a rest, and goes on with its next time.
      if (error instanceof BarredError)
        return void (await move(row, next, error.message.slice(0, LONGEST_NOTE)));
      if (!(error instanceof ClaimedError)) throw error;
    }
  };

  const look = async (): Promise<void> => {
    planned = Infinity;
    const rows = (
      await store.withConnection(
        async (connection) =>
          (await connection.query(
            'SELECT id FROM timetables WHERE active = 1 AND nextAt <= ? ORDER BY nextAt LIMIT ?',
            [clockNow(), MOST_AT_ONCE],
          )) as { id: number }[],
      )
    ).map(({ id }) => id);
    for (const row of rows.length === 0 ? [] : await findAll(timetables, { where: { id: rows } }))
      // One that cannot be done now keeps no other from its time; it is looked at again.
      await want(row).catch((error: Error) =>
        log.warn({ err: error, timetable: row.id }, 'a timetable is looked at again later'),
      );
    const [next] = (await store.withConnection((connection) =>
      connection.query('SELECT MIN(nextAt) AS at FROM timetables WHERE active = 1 AND nextAt > ?', [
        clockNow(),
      ]),
    )) as { at: number | null }[];
    plan(next?.at ?? null);
  };
  /** Those that have no time: a restored service plans anew from now on, and makes up nothing. */
  const planAnew = async (): Promise<void> => {
    for (const row of await findAll(timetables, { where: { active: true, nextAt: null } })) {
      const next = await self.nextOf(row);
      if (next !== null) await move(row, next.at, row.note);
    }
  };
  /** A clock that was wrong may have moved times on too far: none is later than the next one from now. */
  const forgetFuture = async (): Promise<void> => {
    const now = clockNow();
    const rows = await findAll(timetables, { where: { active: true, nextAt: { [Op.gt]: now } } as never });
    for (const row of rows) {
      const next = await self.nextOf(row);
      if (next === null || next.at >= row.nextAt!) continue;
      await move(row, next.at, row.note);
      plan(next.at);
    }
  };
  const lookBack = (): void =>
    void (under = under
      .then(forgetFuture)
      .catch((error: Error) => log.warn({ err: error }, 'timetables keep times of a wrong clock')));
  const silence = onClockBack(lookBack);
  const run = (): void => {
    under = under
      .then(() => (ended ? undefined : look()))
      .then(
        () => wentOn('Timetables'),
        (error: Error) => {
          stoodStill('Timetables', error);
          log.debug({ err: error }, 'timetables are looked at later');
        },
      );
  };
  const plan = (at: number | null): void => {
    if (at === null || ended || Number(at) >= planned) return;
    planned = Number(at);
    clearTimeout(timer);
    timer = setTimeout(run, Math.min(LOOK_MS, Math.max(0, planned - clockNow()) + 20));
  };
  const every = setInterval(run, LOOK_MS);

  const self: Timetables = {
    async replan(workspaceId, deviceRowId) {
      const rows = await findAll(timetables, {
        where: { workspaceId, ...(deviceRowId !== undefined && { deviceRowId }) },
      });
      for (const row of rows) {
        const next = await self.nextOf(row);
        if ((next?.at ?? null) === row.nextAt || (row.nextAt !== null && row.nextAt <= clockNow())) continue;
        await move(row, next?.at ?? null, row.note);
        plan(next?.at ?? null);
      }
    },
    async nextOf(row) {
      const place = row.active ? await placeOf(row) : null;
      return place === null ? null : nextDue(row.times, clockNow(), place);
    },
    plan,
    stop() {
      ended = true;
      silence();
      clearTimeout(timer);
      clearInterval(every);
    },
  };
  under = planAnew().catch((error: Error) => log.debug({ err: error }, 'timetables are planned later'));
  lookBack();
  run();
  // A device may have been put elsewhere.
  bus.on('definitions', ({ workspaceId, deviceRowId }) => {
    if (deviceRowId === undefined) return;
    self
      .replan(workspaceId, deviceRowId)
      .catch((error: Error) => log.debug({ err: error }, 'timetables keep their times'));
  });
  return self;
}
