import {
  deadlineOf,
  isControllable,
  isPending,
  isRefusal,
  KEEP_NAME,
  showValue,
  takeValue,
  takeWanted,
  wireValue,
  type Refusal,
} from '@peatmoor/core';
import type { Command } from '@peatmoor/contract';
import type { Logger } from 'pino';
import type { Bus } from '../bus';
import { now as clockNow } from '../clock';
import type { DeviceSession, PresenceBook, Press } from '../presence/presence';
import type { Recent } from '../history/recent';
import type { Confirms } from '../ingest/verbs/report';
import type { DeviceEntry, DeviceStream, Registry } from '../registry';
import type { CommandRow } from '../store/models';
import { findOne, listIn } from '../store/rows';
import type { Store } from '../store/store';
import { databaseTime } from '../store/time';
import { createBoardHas } from './boardHas';
import { startDeadlines } from './deadlines';
import { demandUnheld } from './interlocks';
import { keepOf } from './kept';
import { demandRested, noteWanted, type Runs } from './runs';
import {
  ClaimedError,
  createNewestCommands,
  createOrder,
  isWanted,
  newestOf,
  REPLACED,
  replaceCommand,
  takePress,
  type Claim,
} from './keeping';

export { ClaimedError } from './keeping';
import { createFollowing, type Following } from './following';
import { createCommandLife, valueOf } from './life';
import type { DeviceFact } from '../journal/telling';
import { createWaiters } from './waiters';

/** The one wanted name that every device understands without a datastream: seconds between its reports. */
export const INTERVAL_NAME = 'interval';

/** A wanted value as it is told to the device. */
export interface Wanted {
  name: string;
  /** As it goes over the wire. */
  value: string;
  commandId: number | null;
  /** For a press: the time up to which it may be told, epoch ms. It is told once, to whoever takes it. */
  until: number | null;
}

export interface CommandBook {
  /**
   * Records a wanted value and brings it to the device if it is connected. Returns a refusal if the value does not fit; throws
   * TooLateError after `until` (epoch ms), BarredError where an interlock holds another value or the control rests, and ClaimedError where
   * `claim` gives false or another node wants the same for the same interlock.
   */
  want(
    entry: DeviceEntry,
    streamKey: string,
    value: unknown,
    by: {
      userName: string;
      eventId?: number;
      until?: number | undefined;
      claim?: Claim;
      /** When it came here, by the passing of time in this process, in ms; left out for now. */
      since?: number;
      /** When it was wanted, epoch ms, where that is on record; left out for now. */
      at?: number;
      /** It is wanted whatever was wanted before: by an interlock that holds it, or because it ran for as long as it may. */
      by?: 'interlock' | 'run';
    },
  ): Promise<Command | Refusal>;
  /** The wanted values that last: the newest of each control that was not refused, and the interval. */
  wanted(entry: DeviceEntry): Promise<{ list: Wanted[]; n: number }>;
  /** Of what an answer over HTTP would tell, what it may: a press is told by one way only, and in its time. */
  take(wanted: readonly Wanted[]): Promise<Wanted[]>;
  /** How a session takes a wanted value that is a press; null for one that lasts. */
  pressOf(wanted: Wanted): Press | null;
  /** The board has been told these. */
  delivered(entry: DeviceEntry, wanted: readonly Wanted[]): Promise<void>;
  stop(): void;
  /** The service stops: whoever waits for something wanted is answered now, and nobody waits any more. */
  leave(): void;
  /** The board says that it now has a value (null: the one asked for). Returns a refusal for an unknown name or unfit value. */
  applied(entry: DeviceEntry, name: string, raw: string | null): Promise<Refusal | null>;
  /** Whether readings of a device are looked at: a report of a `both` datastream may be the value asked for, or what must follow it. */
  confirms: Confirms;
  describe(entry: DeviceEntry, row: CommandRow): Command;
  /** The newest command of each control of which none of these rows is. */
  newestBeside(entry: DeviceEntry, rows: readonly CommandRow[]): Promise<Command[]>;
  read(workspaceId: number, id: number): Promise<Command | null>;
  /** Resolves when something is newly wanted, after `ms`, or when nobody waits any more. */
  waitForChange(deviceRowId: number, ms: number, gone: AbortSignal): Promise<void>;
}

/** What takes no longer than this was wanted when the database said what time it is, in ms. */
const AT_ONCE_MS = 250;

/** A session that may bring something, and where it is told below the session's root. */
type Way = readonly [session: DeviceSession, path: string];

interface Parts {
  store: Store;
  registry: Registry;
  presence: PresenceBook;
  bus: Bus;
  recent: Recent;
  runs: Runs;
  tell: (fact: DeviceFact) => void;
  /** What a rule wanted was not done. */
  onUndone: (entry: DeviceEntry, row: CommandRow) => void;
  log: Logger;
}

export function createCommands({
  store,
  registry,
  presence,
  bus,
  recent,
  runs,
  tell,
  onUndone,
  log,
}: Parts): CommandBook {
  const { commands } = store.models;
  const has = createBoardHas(store, bus);
  const life = createCommandLife({
    store,
    bus,
    tell,
    runs,
    has,
    onFollow: (until) => deadlines.plan(until),
    onUndone,
  });
  const waiters = createWaiters();
  let leaving = false;
  const newestOfAll = createNewestCommands(store);
  const inOrder = createOrder();
  const following: Following = createFollowing({ store, recent }, life, (error) =>
    log.debug({ err: error }, 'whether it was followed is looked at as its time ends'),
  );
  const deadlines = startDeadlines({ store, registry, life, following, log });

  const bring = async (entry: DeviceEntry, wanted: Wanted): Promise<void> => {
    const own = [...presence.sessions(entry.rowId)].map((session): Way => [session, `wanted/${wanted.name}`]);
    const gateway = [...presence.sessions(entry.gatewayRowId ?? 0)].map((session): Way => [
      session,
      `for/${entry.serial ?? entry.id}/wanted/${wanted.name}`,
    ]);
    const ways = [...own, ...gateway];
    if (ways.length === 0) return;
    const press = book.pressOf(wanted);
    // A press goes to one session only: to the first that has subscribed to it.
    const hearing = press === null ? ways : ways.filter(([session, path]) => session.hears(path)).slice(0, 1);
    await Promise.any(hearing.map(([session, path]) => session.want(path, wanted.value, press)));
    await book.delivered(entry, [wanted]);
  };
  /** One that was wanted at another node is followed here too: the device may be connected here, or report here. */
  const follow = async (commandId: number): Promise<void> => {
    const row = await findOne(commands, { id: commandId });
    if (row === null || !isPending(row.state)) return;
    life.notePending(row);
    following.note(row);
    if (row.until !== null) deadlines.plan(row.until);
  };
  bus.on('wanted', ({ deviceRowId, ...wanted }, node) => {
    if (node !== undefined && wanted.commandId !== null)
      follow(wanted.commandId).catch((error: Error) =>
        log.debug({ err: error }, 'a wanted value of another node is looked at as its time ends'),
      );
    waiters.wake(deviceRowId);
    registry
      .byRow(deviceRowId)
      .then((entry) => entry && bring(entry, wanted))
      .catch((error: Error) =>
        log.debug({ err: error, deviceRowId }, 'a wanted value waits for the next connection'),
      );
  });

  // A kind changed, perhaps its interval: whoever waits looks again.
  bus.on('definitions', ({ kindId, all }) => {
    if (kindId !== undefined || all) waiters.wakeAll();
  });

  /** A report of a `both` datastream: applied, if it is the value asked for. */
  const asked = (entry: DeviceEntry, stream: DeviceStream, value: number | string): void => {
    const id = life.pendingOf(entry.rowId, stream.streamId);
    if (id === undefined) return;
    findOne(commands, { id })
      .then((row) =>
        row !== null && valueOf(row) === value ? life.happen(entry, row, 'applied') : undefined,
      )
      .catch((error: Error) => log.debug({ err: error }, 'a confirmation was missed'));
  };

  const book: CommandBook = {
    async want(
      entry,
      streamKey,
      value,
      { userName, eventId, until, claim, since = performance.now(), at, by },
    ) {
      const stream = entry.names.find(streamKey);
      if (stream === undefined)
        return { name: streamKey, reason: 'unknown-name', hint: nearestHint(entry, streamKey) };
      if (!isControllable(stream))
        return {
          name: streamKey,
          reason: 'not-reportable',
          hint: `"${stream.key}" is only reported by the device; it cannot be set.`,
        };
      const taken = takeWanted(stream, value);
      if (isRefusal(taken)) return taken;
      const wanted = taken.value as number | string;
      const now = await databaseTime(store);
      // What waited for a database was wanted when it came.
      const waitedMs = performance.now() - since;
      const came = waitedMs < AT_ONCE_MS ? now : Math.round(now - waitedMs);
      const asked = Math.min(at ?? came, came);
      const momentary = stream.holds === 'momentary';
      const { row, older } = await inOrder(stream.seriesId, asked, (wantedAt) => {
        const createdAt = clockNow();
        const values = {
          workspaceId: entry.workspaceId,
          deviceRowId: entry.rowId,
          streamId: stream.streamId,
          value: typeof wanted === 'number' ? wanted : 0,
          textValue: typeof wanted === 'string' ? wanted : null,
          state: 'waiting' as const,
          userName,
          createdAt,
          wantedAt,
          eventId: eventId ?? null,
          sentAt: null,
          appliedAt: null,
          until: deadlineOf(stream, entry.intervalS, createdAt),
          way: null,
          note: '',
          ...following.plan(entry, stream, wanted),
        };
        return replaceCommand(store, stream.seriesId, values, {
          until,
          momentary,
          claim,
          isNewest: by !== undefined,
          async guard(connection) {
            const place = { deviceRowId: entry.rowId, control: stream, now: clockNow() };
            // What may run and must rest goes before all; then what holds it.
            await demandRested(connection, { ...place, value: wanted });
            if (by === undefined)
              await demandUnheld(connection, { ...place, workspaceId: entry.workspaceId, wanted });
            else if (by === 'interlock' && (await isWanted(connection, entry.rowId, stream.streamId, wanted)))
              throw new ClaimedError();
          },
          after: (connection, id) =>
            noteWanted(
              connection,
              { deviceRowId: entry.rowId, control: stream, value: wanted, now: clockNow() },
              id,
            ),
        });
      });
      for (const one of older) life.announce(entry, { ...one, state: 'expired', note: REPLACED });
      life.notePending(row);
      following.note(row);
      life.announce(entry, row);
      bus.emit('wanted', {
        deviceRowId: entry.rowId,
        name: stream.key,
        value: wireValue(stream, wanted),
        commandId: row.id,
        until: momentary ? row.until : null,
      });
      if (row.until !== null) deadlines.plan(row.until);
      return life.describe(entry, row);
    },
    async wanted(entry) {
      const commandOf = new Map((await newestOfAll(entry.rowId)).map((row) => [row.streamId, row]));
      const rows = entry.streams
        .filter(isControllable)
        .map((stream) => ({ stream, row: commandOf.get(stream.streamId) ?? null }));
      const wanted = rows.flatMap(({ stream, row }): Wanted[] => {
        if (row === null) {
          const value = defaultOf(stream);
          return value === null ? [] : [{ name: stream.key, value, commandId: null, until: null }];
        }
        if (stream.holds === 'momentary') {
          const isOpen = row.state === 'waiting' && row.way === null && (row.until ?? 0) >= clockNow();
          if (isPending(row.state)) life.notePending(row);
          return isOpen
            ? [
                {
                  name: stream.key,
                  value: wireValue(stream, valueOf(row)),
                  commandId: row.id,
                  until: row.until,
                },
              ]
            : [];
        }
        if (row.state === 'refused' || row.state === 'expired') return [];
        if (isPending(row.state)) life.notePending(row);
        const value = wireValue(stream, valueOf(row));
        return [{ name: stream.key, value, commandId: isPending(row.state) ? row.id : null, until: null }];
      });
      const own = entry.names.find(INTERVAL_NAME);
      if (own === undefined)
        wanted.push({ name: INTERVAL_NAME, value: String(entry.intervalS), commandId: null, until: null });
      const keep = keepOf(entry);
      if (keep !== null) wanted.push({ name: KEEP_NAME, value: keep, commandId: null, until: null });
      return { list: wanted, n: Math.max(0, ...[...commandOf.values()].map(({ id }) => id)) };
    },
    async take(wanted) {
      const taken: Wanted[] = [];
      for (const one of wanted)
        if (one.until === null || (await takePress(store, one.commandId!, 'HTTP'))) taken.push(one);
      return taken;
    },
    pressOf: ({ until, commandId }) =>
      until === null ? null : { until, take: () => takePress(store, commandId!, 'MQTT') },
    async delivered(entry, wanted) {
      for (const { commandId } of wanted) {
        const row = commandId === null ? null : await findOne(commands, { id: commandId });
        if (row !== null) await life.happen(entry, row, 'delivered');
      }
    },
    async applied(entry, name, raw) {
      const stream = entry.names.find(name);
      if (stream === undefined)
        return name === INTERVAL_NAME || name === KEEP_NAME
          ? null
          : { name, reason: 'unknown-name', hint: nearestHint(entry, name) };
      if (!isControllable(stream))
        return {
          name,
          reason: 'wrong-topic',
          hint: `"${stream.key}" is not a control; report its value on report instead.`,
        };
      const row = await newestOf(store, entry.rowId, stream.streamId);
      const isAsked = row !== null && (isPending(row.state) || row.state === 'not-known');
      // Without a value it is the one that was asked for.
      if (raw === null && !isAsked) return null;
      const taken =
        raw === null ? { value: valueOf(row!) } : takeValue({ ...stream, rangePolicy: 'mark' }, raw, name);
      if (isRefusal(taken)) return isAsked ? taken : null;
      if (typeof taken.value !== 'object' && stream.holds === 'lasting')
        await has.note(entry, stream, taken.value, clockNow());
      if (!isAsked) return null;
      if (taken.value === valueOf(row)) await life.happen(entry, row, 'applied');
      else if (row.state === 'sent')
        await life.happen(entry, row, 'refused', `the board has ${showValue(stream, taken.value)} instead`);
      return null;
    },
    confirms: {
      awaits: following.awaits,
      reported(entry, stream, at, value) {
        if (typeof value === 'number') following.measured(entry, stream, at, value);
        if (stream.direction !== 'both') return;
        asked(entry, stream, value);
        runs.reported(entry, stream, value);
      },
    },
    describe: (entry, row) => life.describe(entry, row),
    async newestBeside(entry, rows) {
      const covered = new Set(rows.map(({ streamId }) => streamId));
      if (entry.streams.every((stream) => !isControllable(stream) || covered.has(stream.streamId))) return [];
      return (await newestOfAll(entry.rowId))
        .filter(({ streamId }) => !covered.has(streamId))
        .map((row) => life.describe(entry, row));
    },
    async read(workspaceId, id) {
      const [row] = await listIn(commands, workspaceId, { where: { id }, limit: 1 });
      const entry = row === undefined ? null : await registry.byRow(row.deviceRowId);
      return row === undefined || entry === null ? null : life.describe(entry, row);
    },
    stop: () => deadlines.stop(),
    leave() {
      leaving = true;
      waiters.wakeAll();
    },
    waitForChange: (deviceRowId, ms, gone) =>
      leaving ? Promise.resolve() : waiters.wait(deviceRowId, ms, gone),
  };
  return book;
}

/** What a control is wanted to be before anybody wanted anything, as it goes over the wire; null for nothing. */
function defaultOf(stream: DeviceStream): string | null {
  if (stream.defaultValue === null) return null;
  const taken = takeWanted(stream, stream.defaultValue);
  return isRefusal(taken) ? null : wireValue(stream, taken.value as number | string);
}

function nearestHint(entry: DeviceEntry, name: string): string {
  const nearest = entry.names.nearest(name);
  return nearest === undefined
    ? `No datastream of ${entry.name} is called "${name}".`
    : `No datastream is called "${name}"; the nearest is "${nearest}".`;
}
