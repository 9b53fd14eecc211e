import type { Connection } from 'mariadb';
import { group } from 'd3-array';
import { now as clockNow } from '../clock';
import { takeSeries } from '../history/chunks';
import { gather } from '../store/gather';
import type { CommandRow, CommandWay } from '../store/models';
import { findAll } from '../store/rows';
import { inRawTransaction, type Store } from '../store/store';

/** The time up to which something was wanted is over. */
export class TooLateError extends Error {}

/** Another service on the database has wanted it already. */
export class ClaimedError extends Error {}
/** Takes the right to want something, in the transaction that writes the command; false where another has it. */
export type Claim = (connection: Connection) => Promise<boolean>;

/** A call is held up for no longer than this, in ms. */
const LONGEST_HELD_UP_MS = 3_600_000;

/** Wishes that lie no further apart came at once, in ms. */
const TOGETHER_MS = 1000;

/** Why an older command is over. */
export const REPLACED = 'a newer value was wanted';

/** Reads the newest command of each control of a device; devices asked for at once share a query. */
export function createNewestCommands(store: Store): (deviceRowId: number) => Promise<CommandRow[]> {
  const ask = gather((deviceRowIds: readonly number[]) =>
    store.withConnection(async (connection) => {
      const rows = (await connection.query(
        'SELECT c.* FROM commands c JOIN (SELECT MAX(id) AS id FROM commands WHERE deviceRowId IN (?) GROUP BY deviceRowId, streamId) n ON n.id = c.id',
        [deviceRowIds],
      )) as CommandRow[];
      return group(rows, ({ deviceRowId }) => deviceRowId);
    }),
  );
  return async (deviceRowId) => (await ask(deviceRowId)) ?? [];
}

/**
 * Wishes for one control, one after the other in this process: those that come at once are taken in the order of their times (epoch ms,
 * the database's), and none is refused because another was a moment quicker on the way.
 */
export function createOrder(): <T>(
  seriesId: number,
  asked: number,
  work: (wantedAt: number) => Promise<T>,
) => Promise<T> {
  const last = new Map<number, { at: number; done: Promise<unknown> }>();
  return async (seriesId, asked, work) => {
    const before = last.get(seriesId);
    // What was held up for longer is older than what is wanted meanwhile.
    const isTogether = before !== undefined && before.at - asked <= TOGETHER_MS;
    const at = isTogether ? Math.max(asked, before.at) : asked;
    const result = (before?.done ?? Promise.resolve()).then(() => work(at));
    const mine = { at: Math.max(at, before?.at ?? 0), done: result.catch(() => undefined) };
    last.set(seriesId, mine);
    await mine.done;
    if (last.get(seriesId) === mine) last.delete(seriesId);
    return result;
  };
}

export async function newestOf(
  store: Store,
  deviceRowId: number,
  streamId: number,
): Promise<CommandRow | null> {
  const where = { deviceRowId, streamId };
  return (await findAll(store.models.commands, { where, order: [['id', 'DESC']], limit: 1 }))[0] ?? null;
}

/** Writes a command in place of those of its control that still wait. One at a time for each control: whoever comes second finds the first. */
export function replaceCommand(
  store: Store,
  seriesId: number,
  values: Omit<CommandRow, 'id'>,
  {
    until,
    momentary,
    claim,
    guard,
    isNewest = false,
    after,
  }: {
    until: number | undefined;
    momentary: boolean;
    claim?: Claim | undefined;
    /** Throws where it may not be wanted, as things are now that nobody else can want something of the control. */
    guard?: ((connection: Connection) => Promise<void>) | undefined;
    /** It is the newest whatever was wanted. */
    isNewest?: boolean;
    /** What goes with it, in its transaction. */
    after?: ((connection: Connection, id: number) => Promise<void>) | undefined;
  },
): Promise<{ row: CommandRow; older: CommandRow[] }> {
  return inRawTransaction(store, async (connection) => {
    await takeSeries(connection, [seriesId]);
    // Who was held up on the way does not put an older wish in the place of a newer one.
    const [newer] = (await connection.query(
      // One that was wanted at a time that was never is no newer one.
      'SELECT 1 FROM commands WHERE deviceRowId = ? AND streamId = ? AND wantedAt > ? AND wantedAt <= ? LIMIT 1',
      [values.deviceRowId, values.streamId, values.wantedAt, values.wantedAt! + LONGEST_HELD_UP_MS],
    )) as unknown[];
    if (newer !== undefined && !isNewest) throw new TooLateError();
    // It may have waited: for the network, a full queue, or whoever came before.
    if (until !== undefined && clockNow() > until) throw new TooLateError();
    await guard?.(connection);
    if (claim !== undefined && !(await claim(connection))) throw new ClaimedError();
    // A press that was told is not taken back by the next one.
    const states = momentary ? ['waiting'] : ['waiting', 'sent'];
    const older = (await connection.query(
      'SELECT * FROM commands WHERE deviceRowId = ? AND streamId = ? AND state IN (?) AND way IS NULL',
      [values.deviceRowId, values.streamId, states],
    )) as CommandRow[];
    const id = await insert(connection, values);
    // Nobody waits any more for what an older value would have led to.
    await connection.query(
      'UPDATE commands SET followUntil = NULL WHERE deviceRowId = ? AND streamId = ? AND followUntil IS NOT NULL',
      [values.deviceRowId, values.streamId],
    );
    if (older.length > 0)
      await connection.query('UPDATE commands SET state = ?, note = ? WHERE id IN (?) AND state IN (?)', [
        'expired',
        REPLACED,
        older.map((one) => one.id),
        states,
      ]);
    await after?.(connection, id);
    return { row: { ...values, id }, older };
  });
}

async function insert(connection: Connection, values: Omit<CommandRow, 'id'>): Promise<number> {
  const names = Object.keys(values);
  const { insertId } = (await connection.query(
    `INSERT INTO commands (${names.join(',')}) VALUES (${names.map(() => '?').join(',')})`,
    Object.values(values),
  )) as { insertId: number };
  return Number(insertId);
}

/** Takes a press for one way of telling it, so that it is told once: false where another has it, or its time is over. */
export async function takePress(store: Store, id: number, way: CommandWay): Promise<boolean> {
  const { affectedRows } = await store.withConnection(
    async (connection) =>
      (await connection.query(
        "UPDATE commands SET way = ? WHERE id = ? AND way IS NULL AND state = 'waiting' AND until >= ?",
        [way, id, clockNow()],
      )) as { affectedRows: number },
  );
  return affectedRows === 1;
}

/** True where this is what is wanted of a control already, as things are in a transaction that wants something of it. */
export async function isWanted(
  connection: Connection,
  deviceRowId: number,
  streamId: number,
  value: number | string,
): Promise<boolean> {
  const [row] = (await connection.query(
    'SELECT value, textValue, state FROM commands WHERE deviceRowId = ? AND streamId = ? ORDER BY id DESC LIMIT 1',
    [deviceRowId, streamId],
  )) as Pick<CommandRow, 'value' | 'textValue' | 'state'>[];
  return (
    row !== undefined &&
    (row.textValue ?? row.value) === value &&
    row.state !== 'refused' &&
    row.state !== 'expired'
  );
}
