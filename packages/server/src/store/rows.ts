import type { IndexHint, Order, Transaction, WhereOptions } from 'sequelize';
import type { Table } from './models';

/** Columns that hold JSON as text. */
const JSON_COLUMNS = [
  'aliases',
  'choices',
  'proof',
  'labels',
  'place',
  'about',
  'widgets',
  'settings',
  'recipients',
  'state',
  'body',
  'newestOther',
  'calibration',
  'captured',
  'computation',
  'follow',
  'runAtMost',
  'withoutLink',
  'look',
  'times',
  'more',
  'alertChoices',
  'secrets',
  'recovery',
  'sites',
  'details',
] as const;
const BOOLEAN_COLUMNS = [
  'active',
  'acceptNew',
  'unconfirmed',
  'asks',
  'claimOpen',
  'refused',
  'catchUp',
  'sent',
  'periodOpen',
  'listed',
  'keepsTokens',
  'stoodIn',
] as const;

/** What belongs to a workspace names it. Every query on such rows goes through these functions with its workspace. */
export interface Owned {
  workspaceId: number;
}

interface Options<R> {
  where?: WhereOptions<R>;
  order?: Order;
  limit?: number;
  attributes?: (keyof R & string)[];
  transaction?: Transaction;
  indexHints?: IndexHint[];
}

/** Rows of one workspace. */
export async function listIn<R extends Owned>(
  table: Table<R>,
  workspaceId: number,
  options: Options<R> = {},
): Promise<R[]> {
  return findAll(table, {
    ...options,
    where: { ...(options.where as object), workspaceId } as WhereOptions<R>,
  });
}

/** The one row of a workspace that fits, or null; rows of other workspaces are as if they were not there. */
export async function oneIn<R extends Owned>(
  table: Table<R>,
  workspaceId: number,
  where: WhereOptions<R>,
  transaction?: Transaction,
): Promise<R | null> {
  const rows = await listIn(table, workspaceId, { where, limit: 1, ...(transaction && { transaction }) });
  return rows[0] ?? null;
}

/** Adds a row to a workspace and returns it with its new number. */
export async function addTo<R extends Owned>(
  table: Table<R>,
  workspaceId: number,
  values: Omit<Partial<R>, 'workspaceId'>,
  transaction?: Transaction,
): Promise<R> {
  return insert(table, { ...values, workspaceId } as unknown as Partial<R>, transaction);
}

/** Changes rows of one workspace; returns how many. */
export async function changeIn<R extends Owned>(
  table: Table<R>,
  workspaceId: number,
  where: WhereOptions<R>,
  values: Partial<R>,
  transaction?: Transaction,
): Promise<number> {
  const [count] = await table.update(toColumns(values) as never, {
    where: { ...(where as object), workspaceId } as never,
    ...(transaction && { transaction }),
  });
  return count;
}

/** Deletes rows of one workspace; returns how many. */
export async function deleteIn<R extends Owned>(
  table: Table<R>,
  workspaceId: number,
  where: WhereOptions<R>,
  transaction?: Transaction,
): Promise<number> {
  return table.destroy({
    where: { ...(where as object), workspaceId } as never,
    ...(transaction && { transaction }),
  });
}

/** Rows regardless of workspace: for the service's own workers and for finding out who is calling. */
export async function findAll<R extends object>(table: Table<R>, options: Options<R> = {}): Promise<R[]> {
  const rows = (await table.findAll({ ...options, raw: true } as never)) as unknown as R[];
  return rows.map(fromColumns);
}

/** The first row that fits, regardless of workspace, or null. */
export async function findOne<R extends object>(
  table: Table<R>,
  where: WhereOptions<R>,
  transaction?: Transaction,
): Promise<R | null> {
  return (await findAll(table, { where, limit: 1, ...(transaction && { transaction }) }))[0] ?? null;
}

/** Adds a row as it is. */
export async function insert<R extends object>(
  table: Table<R>,
  values: Partial<R>,
  transaction?: Transaction,
): Promise<R> {
  const made = await table.create(toColumns(values) as never, transaction ? { transaction } : {});
  return { ...values, ...fromColumns(made.get({ plain: true }) as R) };
}

/** A row as it came from the database, with its JSON read. */
export function fromColumns<R extends object>(row: R): R {
  const result = row as unknown as Record<string, unknown>;
  for (const name of JSON_COLUMNS)
    if (typeof result[name] === 'string' && /^[[{"]/.test(result[name]))
      result[name] = JSON.parse(result[name]);
  for (const name of BOOLEAN_COLUMNS) if (name in result) result[name] = Boolean(result[name]);
  return row;
}

function toColumns<R extends object>(values: R): Record<string, unknown> {
  const result = { ...values } as Record<string, unknown>;
  for (const name of JSON_COLUMNS)
    if (typeof result[name] === 'object' && result[name] !== null)
      result[name] = JSON.stringify(result[name]);
  return result;
}
