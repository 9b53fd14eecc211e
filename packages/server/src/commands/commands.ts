import {
  isControllable,
  isPending,
  isRefusal,
  nextCommandState,
  showValue,
  takeValue,
  wireValue,
  type CommandHappening,
  type Fact,
  type Refusal,
} from '@peatmoor/core';
import type { Command } from '@peatmoor/contract';
import type { Logger } from 'pino';
import type { Bus } from '../bus';
import type { PresenceBook } from '../ingest/presence';
import type { DeviceEntry, DeviceStream, Registry } from '../registry';
import type { CommandRow } from '../store/models';
import { changeIn, findAll, findOne, listIn } from '../store/rows';
import { takeSeries } from '../history/chunks';
import { inRawTransaction, type Store } from '../store/store';
import { now as clockNow } from '../clock';

/** The one wanted name that every device understands without a datastream: seconds between its reports. */
export const INTERVAL_NAME = 'interval';

const REPLACED = 'a newer value was wanted';

/** A wanted value as it is told to the device. */
export interface Wanted {
  name: string;
  /** As it goes over the wire. */
  value: string;
  commandId: number | null;
}

export interface CommandBook {
  /** Records a wanted value and brings it to the device if it is connected. Returns a refusal if the value does not fit. */
  want(entry: DeviceEntry, streamKey: string, value: unknown, userName: string): Promise<Command | Refusal>;
  /** The wanted values that last: the newest of each control that was not refused, and the interval. */
  wanted(entry: DeviceEntry): Promise<{ list: Wanted[]; n: number }>;
  /** The board has been told these. */
  delivered(entry: DeviceEntry, wanted: readonly Wanted[]): Promise<void>;
  /** The board says that it now has a value (null: the one asked for). Returns a refusal for an unknown name or unfit value. */
  applied(entry: DeviceEntry, name: string, raw: string | null): Promise<Refusal | null>;
  /** A report of a `both` datastream: applied, if it is the value asked for. */
  confirm(entry: DeviceEntry, stream: DeviceStream, value: number | string): void;
  describe(entry: DeviceEntry, row: CommandRow): Command;
  /** The newest command of each control of which none of these rows is. */
  newestBeside(entry: DeviceEntry, rows: readonly CommandRow[]): Promise<Command[]>;
  read(workspaceId: number, id: number): Promise<Command | null>;
  /** Resolves when something is newly wanted, after `ms`, or when nobody waits any more. */
  waitForChange(deviceRowId: number, ms: number, gone: AbortSignal): Promise<void>;
}

interface Parts {
  store: Store;
  registry: Registry;
  presence: PresenceBook;
  bus: Bus;
  tell: (fact: Fact) => void;
  log: Logger;
}

export function createCommands({ store, registry, presence, bus, tell, log }: Parts): CommandBook {
  const { commands } = store.models;
  const pending = new Map<string, number>();
  const waiters = new Map<number, Set<() => void>>();
  const place = (deviceRowId: number, streamId: number): string => `${deviceRowId}:${streamId}`;

  const toCommand = (row: CommandRow, entry: DeviceEntry): Command => ({
    id: row.id,
    deviceId: entry.id,
    stream: entry.streams.find((stream) => stream.streamId === row.streamId)?.key ?? '?',
    value: kept(row),
    state: row.state,
    by: row.userName,
    createdAt: row.createdAt,
    sentAt: row.sentAt,
    appliedAt: row.appliedAt,
    note: row.note,
  });
  const announce = (entry: DeviceEntry, row: CommandRow): void =>
    bus.emit('live', {
      workspaceId: entry.workspaceId,
      message: { type: 'command', command: toCommand(row, entry) },
    });

  const happen = async (
    entry: DeviceEntry,
    row: CommandRow,
    happening: CommandHappening,
    note = '',
  ): Promise<void> => {
    const state = nextCommandState(row.state, happening);
    if (state === null) return;
    const now = clockNow();
    const change: Partial<CommandRow> = {
      state,
      note,
      ...(state === 'sent' && { sentAt: now }),
      ...(state === 'applied' && { appliedAt: now, sentAt: row.sentAt ?? now }),
    };
    const changed = await changeIn(commands, entry.workspaceId, { id: row.id, state: row.state }, change);
    if (changed === 0) {
      // Something else happened to it at the same moment: an answer of the board may overtake the note that it was sent.
      const current = await findOne(commands, { id: row.id });
      if (current !== null && current.state !== row.state) await happen(entry, current, happening, note);
      return;
    }
    if (!isPending(state)) pending.delete(place(row.deviceRowId, row.streamId));
    if (state === 'applied') tell({ kind: 'applied', device: entry.rowId, at: now, command: row.id });
    announce(entry, { ...row, ...change });
  };

  const newestOf = async (entry: DeviceEntry, streamId: number): Promise<CommandRow | null> =>
    (
      await findAll(commands, {
        where: { deviceRowId: entry.rowId, streamId },
        order: [['id', 'DESC']],
        limit: 1,
      })
    )[0] ?? null;

  /** The newest command of each control of a device, in one query. */
  const newestOfAll = async (entry: DeviceEntry): Promise<Map<number, CommandRow>> => {
    const rows = await store.withConnection(
      async (connection) =>
        (await connection.query(
          'SELECT c.* FROM commands c JOIN (SELECT MAX(id) AS id FROM commands WHERE deviceRowId = ? GROUP BY streamId) n ON n.id = c.id',
          [entry.rowId],
        )) as CommandRow[],
    );
    return new Map(rows.map((row) => [row.streamId, row]));
  };

  const bring = async (entry: DeviceEntry, wanted: Wanted): Promise<void> => {
    const own = [...presence.sessions(entry.rowId)].map(
      (session) => [session, `wanted/${wanted.name}`] as const,
    );
    const gateway = [...presence.sessions(entry.gatewayRowId ?? 0)].map(
      (session) => [session, `for/${entry.serial ?? entry.id}/wanted/${wanted.name}`] as const,
    );
    const ways = [...own, ...gateway];
    if (ways.length === 0) return;
    await Promise.any(ways.map(([session, path]) => session.want(path, wanted.value)));
    await book.delivered(entry, [wanted]);
  };
  bus.on('wanted', ({ deviceRowId, ...wanted }) => {
    for (const wake of waiters.get(deviceRowId) ?? []) wake();
    registry
      .byRow(deviceRowId)
      .then((entry) => entry && bring(entry, wanted))
      .catch((error: Error) =>
        log.debug({ err: error, deviceRowId }, 'a wanted value waits for the next connection'),
      );
  });

  // A kind changed, perhaps its interval: whoever waits looks again.
  bus.on('definitions', ({ kindId }) => {
    if (kindId === undefined) return;
    for (const wakes of [...waiters.values()]) for (const wake of wakes) wake();
  });

  const book: CommandBook = {
    async want(entry, streamKey, value, userName) {
      const stream = entry.names.find(streamKey);
      if (stream === undefined)
        return { name: streamKey, reason: 'unknown-name', hint: nearestHint(entry, streamKey) };
      if (!isControllable(stream))
        return {
          name: streamKey,
          reason: 'not-reportable',
          hint: `"${stream.key}" is only reported by the device; it cannot be set.`,
        };
      const taken = takeValue({ ...stream, rangePolicy: 'refuse' }, value, stream.key);
      if (isRefusal(taken)) return taken;
      const wanted = taken.value as number | string;
      const createdAt = clockNow();
      // One at a time for each control: whoever comes second finds the first and replaces it.
      const { row, older } = await inRawTransaction(store, async (connection) => {
        await takeSeries(connection, [stream.seriesId]);
        const found = (await connection.query(
          "SELECT * FROM commands WHERE deviceRowId = ? AND streamId = ? AND state IN ('waiting', 'sent')",
          [entry.rowId, stream.streamId],
        )) as CommandRow[];
        const values: Omit<CommandRow, 'id'> = {
          workspaceId: entry.workspaceId,
          deviceRowId: entry.rowId,
          streamId: stream.streamId,
          value: typeof wanted === 'number' ? wanted : 0,
          textValue: typeof wanted === 'string' ? wanted : null,
          state: 'waiting',
          userName,
          createdAt,
          sentAt: null,
          appliedAt: null,
          note: '',
        };
        const names = Object.keys(values);
        const { insertId } = (await connection.query(
          `INSERT INTO commands (${names.join(',')}) VALUES (${names.map(() => '?').join(',')})`,
          Object.values(values),
        )) as { insertId: number };
        if (found.length > 0)
          await connection.query('UPDATE commands SET state = ?, note = ? WHERE id IN (?) AND state IN (?)', [
            'expired',
            REPLACED,
            found.map(({ id }) => id),
            ['waiting', 'sent'],
          ]);
        return { row: { ...values, id: Number(insertId) }, older: found };
      });
      for (const one of older) announce(entry, { ...one, state: 'expired', note: REPLACED });
      pending.set(place(entry.rowId, stream.streamId), row.id);
      announce(entry, row);
      bus.emit('wanted', {
        deviceRowId: entry.rowId,
        name: stream.key,
        value: wireValue(stream, wanted),
        commandId: row.id,
      });
      return toCommand(row, entry);
    },
    async wanted(entry) {
      const newest = await newestOfAll(entry);
      const rows = entry.streams
        .filter(isControllable)
        .map((stream) => ({ stream, row: newest.get(stream.streamId) ?? null }));
      const wanted = rows.flatMap(({ stream, row }) => {
        if (row === null) {
          const value = defaultOf(stream);
          return value === null ? [] : [{ name: stream.key, value, commandId: null }];
        }
        if (row.state === 'refused') return [];
        if (isPending(row.state)) pending.set(place(entry.rowId, stream.streamId), row.id);
        const value = wireValue(stream, kept(row));
        return [{ name: stream.key, value, commandId: isPending(row.state) ? row.id : null }];
      });
      const own = entry.names.find(INTERVAL_NAME);
      if (own === undefined)
        wanted.push({ name: INTERVAL_NAME, value: String(entry.intervalS), commandId: null });
      return { list: wanted, n: Math.max(0, ...[...newest.values()].map(({ id }) => id)) };
    },
    async delivered(entry, wanted) {
      for (const { commandId } of wanted) {
        const row = commandId === null ? null : await findOne(commands, { id: commandId });
        if (row !== null) await happen(entry, row, 'delivered');
      }
    },
    async applied(entry, name, raw) {
      const stream = entry.names.find(name);
      if (stream === undefined)
        return name === INTERVAL_NAME
          ? null
          : { name, reason: 'unknown-name', hint: nearestHint(entry, name) };
      if (!isControllable(stream))
        return {
          name,
          reason: 'wrong-topic',
          hint: `"${stream.key}" is no control; report its value on report instead.`,
        };
      const row = await newestOf(entry, stream.streamId);
      if (row === null || !isPending(row.state)) return null;
      const taken =
        raw === null ? { value: kept(row) } : takeValue({ ...stream, rangePolicy: 'mark' }, raw, name);
      if (isRefusal(taken)) return taken;
      if (taken.value === kept(row)) await happen(entry, row, 'applied');
      else if (row.state === 'sent')
        await happen(entry, row, 'refused', `the board has ${showValue(stream, taken.value)} instead`);
      return null;
    },
    confirm(entry, stream, value) {
      const id = pending.get(place(entry.rowId, stream.streamId));
      if (id === undefined) return;
      findOne(commands, { id })
        .then((row) => (row !== null && kept(row) === value ? happen(entry, row, 'applied') : undefined))
        .catch((error: Error) => log.debug({ err: error }, 'a confirmation was missed'));
    },
    describe: (entry, row) => toCommand(row, entry),
    async newestBeside(entry, rows) {
      const covered = new Set(rows.map(({ streamId }) => streamId));
      if (entry.streams.every((stream) => !isControllable(stream) || covered.has(stream.streamId))) return [];
      return [...(await newestOfAll(entry)).values()]
        .filter(({ streamId }) => !covered.has(streamId))
        .map((row) => toCommand(row, entry));
    },
    async read(workspaceId, id) {
      const [row] = await listIn(commands, workspaceId, { where: { id }, limit: 1 });
      const entry = row === undefined ? null : await registry.byRow(row.deviceRowId);
      return row === undefined || entry === null ? null : toCommand(row, entry);
    },
    waitForChange: (deviceRowId, ms, gone) =>
      new Promise((resolve) => {
        if (gone.aborted) return resolve();
        const mine = waiters.get(deviceRowId) ?? new Set();
        waiters.set(deviceRowId, mine);
        const wake = (): void => {
          clearTimeout(timer);
          mine.delete(wake);
          if (mine.size === 0) waiters.delete(deviceRowId);
          gone.removeEventListener('abort', wake);
          resolve();
        };
        gone.addEventListener('abort', wake);
        const timer = setTimeout(wake, ms);
        mine.add(wake);
      }),
  };
  return book;
}

/** The value of a command: a text for a text control, a number for all others. */
const kept = (row: Pick<CommandRow, 'value' | 'textValue'>): number | string => row.textValue ?? row.value;

/** What a control is wanted to be before anybody wanted anything, as it goes over the wire; null for nothing. */
function defaultOf(stream: DeviceStream): string | null {
  if (stream.defaultValue === null) return null;
  const taken = takeValue({ ...stream, rangePolicy: 'refuse' }, stream.defaultValue, stream.key);
  return isRefusal(taken) ? null : wireValue(stream, taken.value as number | string);
}

function nearestHint(entry: DeviceEntry, name: string): string {
  const nearest = entry.names.nearest(name);
  return nearest === undefined
    ? `No datastream of ${entry.name} is called "${name}".`
    : `No datastream is called "${name}"; the nearest is "${nearest}".`;
}
