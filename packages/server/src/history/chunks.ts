import { setImmediate as nextTurn } from 'node:timers/promises';
import { promisify } from 'node:util';
import { deflateRaw, deflateRawSync, inflateRawSync } from 'node:zlib';
import type { Connection } from 'mariadb';
import type { Logger } from 'pino';
import {
  DAY_MS,
  EMPTY_COLUMNS,
  HOUR_MS,
  mergeBack,
  mergeColumns,
  orderColumns,
  packColumns,
  packRollups,
  rollUp,
  sliceColumns,
  TENS_MS,
  unpackColumns,
  unpackRollups,
  type Columns,
  type Rollup,
} from '@peatmoor/core';
import { latestPossible } from '../clock';
import { setAside } from '../journal/setAside';
import { bare } from '../bareError';
import { failedForNow } from '../store/lost';
import { inRawTransaction, type Store } from '../store/store';

/** A day with fewer readings than this is read as quickly from the readings as from its rollups. */
const FEWEST_FOR_HOURS = 400;
const FEWEST_FOR_TENS = 2000;
/** Readings in a chunk: a day of 5-s readings is one chunk, of many more several. */
const FULL = 20_000;

const deflate = promisify(deflateRaw);
/** Readings that are packed or unpacked in one go; after as many, what else waits in this process has its turn. */
const READINGS_A_TURN = 20_000;

/** Gives way to devices and pages now and then during long work; the work told is in readings. */
function turnTaker(): (readings: number) => Promise<void> {
  let done = 0;
  return async (readings) => {
    done += readings;
    if (done < READINGS_A_TURN) return;
    done = 0;
    await nextTurn();
  };
}

/** A chunk's bytes: packed columns, deflated beside the main thread. */
function encodeChunk(columns: Columns): Promise<Buffer> {
  return deflate(packColumns(columns));
}

export function decodeChunk(body: Buffer): Columns {
  return unpackColumns(inflateRawSync(body));
}

/** What of a chunk row tells its rollups; `body` only where they must come from the readings. */
export interface ChunkRow extends Omit<Rollup, 'at' | 'spread'> {
  day: number;
  /** Null where the chunk was written before it was kept. */
  spread: number | null;
  hours: Buffer | null;
  tens: Buffer | null;
  body: Buffer | null;
}

/** Rollups of a stored chunk at one of the kept spans; of several chunks of a day, one may end where the next begins. */
export function rollupsOf(row: ChunkRow, spanMs: number): Rollup[] {
  if (spanMs === DAY_MS) {
    const { count, min, max, sum, first, last, spread } = row;
    return [{ at: row.day * DAY_MS, count, min, max, sum, first, last, spread: spread ?? Number.NaN }];
  }
  const kept = spanMs === HOUR_MS ? row.hours : row.tens;
  if (kept !== null) return unpackRollups(inflateRawSync(kept), spanMs);
  return rollUp(decodeChunk(row.body!), spanMs);
}

/**
 * Takes series for the caller's transaction: whoever rewrites their chunks writes here first, so that two never work on
 * the same one at once. Gives those that still exist.
 */
export async function takeSeries(connection: Connection, ids: readonly number[]): Promise<{ id: number }[]> {
  const ordered = [...ids].sort((a, b) => a - b);
  for (let i = 0; i < ordered.length; i += 1000)
    await connection.query(
      `UPDATE series SET version = version + 1 WHERE id IN (${ordered.slice(i, i + 1000).join(',')})`,
    );
  const known: { id: number }[] = [];
  for (let i = 0; i < ordered.length; i += 1000)
    known.push(
      ...((await connection.query(
        `SELECT id FROM series WHERE id IN (${ordered.slice(i, i + 1000).join(',')})`,
      )) as { id: number }[]),
    );
  return known;
}

/**
 * Merges new readings into day chunks and notes the newest reading of each series. Readings of series that no
 * longer exist are left out; what cannot be merged is set aside, and all else goes on. `full`: readings in a chunk. To be
 * called in a transaction.
 */
export async function mergeIntoChunks(
  connection: Connection,
  bySeries: ReadonlyMap<number, Columns>,
  { full = FULL, log = null }: { full?: number; log?: Logger | null } = {},
): Promise<void> {
  if (bySeries.size === 0) return;
  const known = await takeSeries(connection, [...bySeries.keys()]);
  const parts = known.flatMap(({ id }) =>
    splitDays(bySeries.get(id)!).map(({ day, columns }) => ({ id, day, columns })),
  );
  for (let start = 0; start < parts.length; start += 400)
    await mergeDivided(connection, parts.slice(start, start + 400), full, log);
  // A newest reading of a time that only a wrong clock can have given makes place.
  const beyond = latestPossible();
  const newest = known.map(({ id }) => {
    const { times, values } = bySeries.get(id)!;
    const last = orderColumns({ times, values });
    const at = last.times.at(-1)!;
    return [at, beyond, last.values.at(-1)!, beyond, at, at, id];
  });
  if (newest.length > 0)
    await connection.batch(
      'UPDATE series SET newestValue = IF(newestAt IS NULL OR newestAt <= ? OR newestAt > ?, ?, newestValue), newestAt = IF(newestAt IS NULL OR newestAt > ?, ?, GREATEST(newestAt, ?)) WHERE id = ?',
      newest,
    );
}

/** Merges parts; where that fails, halves them until the one that cannot be merged stands alone and is set aside. */
async function mergeDivided(
  connection: Connection,
  parts: Part[],
  full: number,
  log: Logger | null,
): Promise<void> {
  // What was taken away before a failure is there again for the halves.
  await connection.query('SAVEPOINT merging');
  try {
    await mergeParts(connection, parts, full, log);
  } catch (error) {
    if (failedForNow(error as Error)) throw error;
    await connection.query('ROLLBACK TO SAVEPOINT merging');
    if (parts.length > 1) {
      const half = parts.length >> 1;
      await mergeDivided(connection, parts.slice(0, half), full, log);
      await mergeDivided(connection, parts.slice(half), full, log);
      return;
    }
    const { id, day, columns } = parts[0]!;
    log?.error({ err: bare(error), series: id, day }, 'readings cannot be folded and were set aside');
    await setAside(connection, {
      what: 'readings',
      place: `series ${id}, day ${day}`,
      reason: (error as Error).message,
      body: packColumns(columns),
    });
  }
}

/** Readings of one series within one day, in order of time. */
export interface Part {
  id: number;
  day: number;
  columns: Columns;
}

/** Where a chunk is: its series, its day, and its first time within the day in ms. */
export interface ChunkPlace {
  seriesId: number;
  day: number;
  part: number;
}

/** A stored chunk as it is found: `part` is its first time within the day, `toMs` its last (ms). */
interface Stored {
  seriesId: number;
  day: number;
  part: number;
  toMs: number;
  count: number;
}

/**
 * Merges each batch with the chunks whose times it overlaps, or puts it at the end of its day as a part that grows by levels;
 * so the work depends on what came, not on how much the day has already. Chunks of a day never overlap.
 */
async function mergeParts(
  connection: Connection,
  parts: Part[],
  full: number,
  log: Logger | null,
): Promise<void> {
  const pairs = parts.map(({ id, day }) => `(${id},${day})`).join(',');
  const stored = (await connection.query(
    `SELECT seriesId, day, part, toMs, count FROM chunks WHERE (seriesId, day) IN (${pairs}) ORDER BY seriesId, day, part`,
  )) as Stored[];
  const ofDay = new Map<string, Stored[]>();
  for (const one of stored) {
    const key = `${one.seriesId}:${one.day}`;
    ofDay.set(key, [...(ofDay.get(key) ?? []), one]);
  }
  const plans = parts.map((part) => ({
    part,
    touched: touchedBy(part, ofDay.get(`${part.id}:${part.day}`) ?? [], full),
  }));
  const bodies = await bodiesOf(
    connection,
    plans.flatMap(({ touched }) => touched),
  );
  const worked = turnTaker();
  const pieces: Part[] = [];
  const gone: Stored[] = [];
  for (const { part, touched } of plans) {
    let before: Columns = EMPTY_COLUMNS;
    for (const one of touched)
      before = mergeColumns(before, await readable(connection, one, bodies.get(keyOf(one))!, log));
    const made = split({ ...part, columns: mergeColumns(before, part.columns) }, full);
    const kept = new Set(made.map(firstMs));
    pieces.push(...made);
    gone.push(...touched.filter((one) => !kept.has(one.part)));
    await worked(before.times.length + part.columns.times.length);
  }
  for (const { seriesId, day, part } of gone)
    await connection.execute('DELETE FROM chunks WHERE seriesId = ? AND day = ? AND part = ?', [
      seriesId,
      day,
      part,
    ]);
  await writePieces(connection, pieces);
}

/**
 * The readings of a stored chunk, in the caller's transaction; one whose bytes are damaged is set aside and taken away, so that its
 * day goes on.
 */
export async function readable(
  connection: Connection,
  { seriesId, day, part }: ChunkPlace,
  body: Buffer,
  log: Logger | null,
): Promise<Columns> {
  try {
    return decodeChunk(body);
  } catch (error) {
    log?.error({ err: error, series: seriesId, day }, 'a chunk is damaged and was set aside');
    const [owner] = (await connection.query(
      `SELECT device.name, stream.title FROM series
        JOIN devices device ON device.rowId = series.deviceRowId JOIN streams stream ON stream.id = series.streamId WHERE series.id = ?`,
      [seriesId],
    )) as { name: string; title: string }[];
    const of = owner === undefined ? '' : `${owner.name}: ${owner.title.slice(0, 30)}, `;
    await setAside(connection, {
      what: 'chunk',
      place: `${of}${new Date(day * DAY_MS).toISOString().slice(0, 10)} (series ${seriesId}, part ${part})`,
      reason: (error as Error).message,
      body,
    });
    await connection.execute('DELETE FROM chunks WHERE seriesId = ? AND day = ? AND part = ?', [
      seriesId,
      day,
      part,
    ]);
    return EMPTY_COLUMNS;
  }
}

/** A damaged chunk that was found by somebody who only reads: looked at again, and set aside where it is still so. */
export async function putAside(store: Store, place: ChunkPlace, log: Logger | null): Promise<void> {
  await inRawTransaction(store, async (connection) => {
    await takeSeries(connection, [place.seriesId]);
    const [row] = (await connection.query(
      'SELECT body FROM chunks WHERE seriesId = ? AND day = ? AND part = ?',
      [place.seriesId, place.day, place.part],
    )) as { body: Buffer }[];
    if (row !== undefined) await readable(connection, place, row.body, log);
  });
}

/** The chunks of a day that a batch must be merged with. */
function touchedBy({ day, columns }: Part, stored: readonly Stored[], full: number): Stored[] {
  const from = Math.floor(columns.times[0]! - day * DAY_MS);
  const to = Math.ceil(columns.times.at(-1)! - day * DAY_MS);
  const overlapping = stored.filter(({ part, toMs }) => part <= to && toMs >= from);
  if (overlapping.length > 0) return overlapping;
  // At the end of its day it joins those of its size; one between others stays by itself.
  if (stored.some(({ toMs }) => toMs >= from)) return [];
  const back = mergeBack(
    stored.map(({ count }) => count),
    columns.times.length,
    full,
  );
  return back === 0 ? [] : stored.slice(-back);
}

const keyOf = ({ seriesId, day, part }: Pick<Stored, 'seriesId' | 'day' | 'part'>): string =>
  `${seriesId}:${day}:${part}`;
const firstMs = ({ day, columns }: Part): number => Math.floor(columns.times[0]! - day * DAY_MS);

async function bodiesOf(connection: Connection, chunks: readonly Stored[]): Promise<Map<string, Buffer>> {
  if (chunks.length === 0) return new Map();
  const keys = chunks.map(({ seriesId, day, part }) => `(${seriesId},${day},${part})`).join(',');
  const rows = (await connection.query(
    `SELECT seriesId, day, part, body FROM chunks WHERE (seriesId, day, part) IN (${keys})`,
  )) as (Stored & { body: Buffer })[];
  return new Map(rows.map((row) => [keyOf(row), row.body]));
}

/** Cuts what is much more than a full chunk into full ones. */
function split(part: Part, full: number): Part[] {
  const { times, values } = part.columns;
  if (times.length <= full * 1.5) return [part];
  const pieces: Part[] = [];
  for (let at = 0; at < times.length; at += full)
    pieces.push({
      ...part,
      columns: { times: times.slice(at, at + full), values: values.slice(at, at + full) },
    });
  return pieces;
}

/** Series whose day before is put together in one hour of the day, so that not all are at once. */
const HOURS_A_DAY = 24;

/**
 * Puts the parts of past days together, of those of some series whose turn it is in this hour of the day: each day is then one
 * chunk, or a few full ones. To be called in the transaction that has taken the series.
 */
export async function closeDays(
  connection: Connection,
  ids: readonly number[],
  now: number,
  log: Logger | null = null,
): Promise<void> {
  const hour = Math.floor(now / HOUR_MS) % HOURS_A_DAY;
  const turn = ids.filter((id) => id % HOURS_A_DAY === hour);
  if (turn.length === 0) return;
  const today = Math.floor(now / DAY_MS);
  const days = (await connection.query(
    'SELECT seriesId, day, COUNT(*) AS parts, SUM(count) AS readings FROM chunks WHERE seriesId IN (?) AND day BETWEEN ? AND ? GROUP BY seriesId, day HAVING parts > 1 AND parts > 2 * readings / ?',
    [turn, today - PAST_DAYS, today - 1, FULL],
  )) as { seriesId: number; day: number }[];
  for (const { seriesId, day } of days) {
    const parts = (await connection.query(
      'SELECT seriesId, day, part, body FROM chunks WHERE seriesId = ? AND day = ? ORDER BY part',
      [seriesId, day],
    )) as (Stored & { body: Buffer })[];
    let columns: Columns = EMPTY_COLUMNS;
    for (const one of parts) columns = mergeColumns(columns, await readable(connection, one, one.body, log));
    await writeDays(connection, [{ id: seriesId, day, columns }]);
    await nextTurn();
  }
}

/** Days back that are looked at: a service that was off in the hour of a series makes it good. */
const PAST_DAYS = 3;

/** Writes whole days of series anew, with the rollups made from them; a day without readings goes. In a transaction. */
export async function writeDays(connection: Connection, parts: readonly Part[], full = FULL): Promise<void> {
  for (const { id, day } of parts)
    await connection.execute('DELETE FROM chunks WHERE seriesId = ? AND day = ?', [id, day]);
  await writePieces(
    connection,
    parts.filter(({ columns }) => columns.times.length > 0).flatMap((part) => split(part, full)),
  );
}

async function writePieces(connection: Connection, pieces: readonly Part[]): Promise<void> {
  const worked = turnTaker();
  const rows: unknown[][] = [];
  for (const piece of pieces) {
    const { id, day, columns } = piece;
    const { count, min, max, sum, first, last, spread } = rollUp(columns, DAY_MS)[0]!;
    const hours = count < FEWEST_FOR_HOURS ? null : encodeRollups(columns, HOUR_MS);
    const tens = count < FEWEST_FOR_TENS ? null : encodeRollups(columns, TENS_MS);
    const body = await encodeChunk(columns);
    const toMs = Math.ceil(columns.times.at(-1)! - day * DAY_MS);
    rows.push([id, day, firstMs(piece), toMs, count, min, max, sum, first, last, spread, hours, tens, body]);
    await worked(count);
  }
  if (rows.length > 0)
    await connection.batch(
      'REPLACE INTO chunks (seriesId, day, part, toMs, count, min, max, sum, first, last, spread, hours, tens, body) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)',
      rows,
    );
}

function encodeRollups(columns: Columns, spanMs: number): Buffer {
  return deflateRawSync(packRollups(rollUp(columns, spanMs), spanMs));
}

function splitDays(columns: Columns): { day: number; columns: Columns }[] {
  const ordered = orderColumns(columns);
  const days: { day: number; columns: Columns }[] = [];
  for (let i = 0; i < ordered.times.length;) {
    const day = Math.floor(ordered.times[i]! / DAY_MS);
    const part = sliceColumns(ordered, day * DAY_MS, (day + 1) * DAY_MS);
    days.push({ day, columns: part });
    i += part.times.length;
  }
  return days;
}
