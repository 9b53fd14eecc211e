import type { Request } from 'express';
import type { Versioned } from '@peatmoor/contract';
import { ProblemError, wrongField } from '../problems';
import type { Store } from '../store/store';
import type { Scope } from './scope';

/** Where the version of what a call reads or changes stands. */
interface Place {
  table: string;
  column: 'revision' | 'version';
  where: string;
  values: (string | number)[];
}

/** The ETag of a version (RFC 9110 §8.8.3). */
export const etagOf = (version: number): string => `"${version}"`;

/** The versions that a change may be made to: those of If-Match, or null for any. Throws 422 for what is no list of ETags. */
export function expectedVersions(request: Request): number[] | 'any' | null {
  const text = request.headers['if-match'];
  if (text === undefined) return null;
  if (text.trim() === '*') return 'any';
  return text.split(',').map((one) => {
    // A weak tag never matches here (RFC 9110 §13.1.1), and neither does one that is not ours.
    if (/^(W\/)?"[^"]*"$/.test(one.trim())) return Number(/^"(\d{1,10})"$/.exec(one.trim())?.[1] ?? NaN);
    throw wrongField(
      'If-Match',
      'is not a list of ETags',
      'Send the ETag as it came, in its quotation marks, or "*".',
    );
  });
}

/**
 * Makes a change under the version of what it changes. The version is counted up before the change, in the one statement that
 * also compares it, so that of two who started from the same version one is refused; and once more after it, so that whoever
 * read in between has no valid version. A change that fails gives the version back.
 * Returns the version afterwards, or null where nothing is left that has one.
 */
export async function underVersion<T>(
  store: Store,
  scope: Scope,
  versioned: Versioned,
  params: Record<string, string>,
  expected: number[] | 'any' | null,
  change: () => Promise<T>,
): Promise<{ result: T; version: number | null }> {
  const place = placeOf(scope, versioned, params);
  if (place === null) return { result: await change(), version: null };
  const taken = await countUp(store, place, Array.isArray(expected) ? expected : null);
  if (taken === null && Array.isArray(expected)) {
    const current = await versionAt(store, place);
    if (current !== null) throw changedMeanwhile(versioned, current);
  }
  let result: T;
  try {
    result = await change();
  } catch (error) {
    if (taken !== null) await giveBack(store, place, taken).catch(() => undefined);
    throw error;
  }
  return { result, version: taken === null ? null : await countUp(store, place, null) };
}

export function changedMeanwhile(what: Versioned, current: number): ProblemError {
  return new ProblemError(
    'changed-meanwhile',
    `This ${what === 'member' ? 'person' : what} was changed meanwhile: its version is ${current} now. Nothing was overwritten. Read it again and make your change to that.`,
  );
}

function placeOf(scope: Scope, versioned: Versioned, params: Record<string, string>): Place | null {
  const inWorkspace = (table: string, column: string, value: string | number): Place => ({
    table,
    column: table === 'dashboards' ? 'version' : 'revision',
    where: `${column} = ? AND workspaceId = ?`,
    values: [value, scope.workspaceId],
  });
  const number = (text: string | undefined): number => (/^\d{1,9}$/.test(text ?? '') ? Number(text) : 0);
  switch (versioned) {
    case 'kind':
      return inWorkspace('kinds', 'id', number(params.kind));
    case 'device':
      return inWorkspace('devices', 'id', (params.device ?? '').slice(0, 80));
    case 'dashboard':
      return inWorkspace('dashboards', 'id', number(params.dashboard));
    case 'rule':
      return inWorkspace('rules', 'id', number(params.rule));
    case 'link':
      return inWorkspace('shareLinks', 'id', number(params.link));
    case 'timetable':
      return inWorkspace('timetables', 'id', number(params.timetable));
    case 'person':
      return { table: 'users', column: 'revision', where: 'id = ?', values: [scope.userId] };
    case 'member': {
      const [, sort, id] = /^(person|link)-(\d{1,9})$/.exec(params.person ?? '') ?? [];
      if (sort === undefined) return null;
      return sort === 'link'
        ? inWorkspace('invitations', 'id', Number(id))
        : inWorkspace('memberships', 'userId', Number(id));
    }
  }
}

/** Counts a version up, if it is one of these; gives the new one, or null where there was none to count. */
async function countUp(
  store: Store,
  { table, column, where, values }: Place,
  among: number[] | null,
): Promise<number | null> {
  const known = among?.filter((one) => Number.isSafeInteger(one));
  if (known?.length === 0) return null;
  return store.withConnection(async (connection) => {
    // The answer to the statement holds the counted number too.
    const { affectedRows, insertId } = (await connection.query(
      `UPDATE ${table} SET ${column} = LAST_INSERT_ID(${column} + 1) WHERE ${where}${known === undefined ? '' : ` AND ${column} IN (?)`}`,
      known === undefined ? values : [...values, known],
    )) as { affectedRows: number; insertId: number };
    return affectedRows === 0 ? null : Number(insertId);
  });
}

async function versionAt(store: Store, { table, column, where, values }: Place): Promise<number | null> {
  const rows = await store.withConnection(
    async (connection) =>
      (await connection.query(`SELECT ${column} AS version FROM ${table} WHERE ${where}`, values)) as {
        version: number;
      }[],
  );
  return rows[0] === undefined ? null : Number(rows[0].version);
}

async function giveBack(store: Store, { table, column, where, values }: Place, taken: number): Promise<void> {
  await store.withConnection((connection) =>
    connection.query(`UPDATE ${table} SET ${column} = ${column} - 1 WHERE ${where} AND ${column} = ?`, [
      ...values,
      taken,
    ]),
  );
}
