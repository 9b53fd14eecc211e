import { setTimeout as sleep } from 'node:timers/promises';
import type { Connection } from 'mariadb';
import { now as clockNow } from '../clock';
import type { Store } from '../store/store';

/** Rows that name an owner without the database holding them to it. */
interface Owned {
  table: string;
  column: string;
  owner: string;
  /** How they go: marked, so that they go in slices with all else of that owner; or themselves. */
  how: 'device' | 'series' | 'rows';
}

const of = (how: Owned['how'], column: string, owner: string, tables: string): Owned[] =>
  tables.split(' ').map((table) => ({ table, column, owner, how }));

/** What belongs to something by its number alone. Everything else goes by cascades of the database. */
const OWNED: readonly Owned[] = [
  ...of(
    'device',
    'deviceRowId',
    'devices.rowId',
    'arrivals commands recomputations corrections ruleStates events overrides runs boardHas',
  ),
  ...of('rows', 'deviceRowId', 'devices.rowId', 'series connections'),
  ...of('rows', 'streamId', 'streams.id', 'series overrides runs boardHas'),
  ...of('series', 'seriesId', 'series.id', 'chunks texts locations images'),
  ...of('rows', 'eventId', 'events.id', 'alerts eventComments'),
  ...of('rows', 'alertId', 'alerts.id', 'alertTries'),
  ...of('rows', 'ruleId', 'rules.id', 'ruleStates alertStops'),
  ...of(
    'rows',
    'workspaceId',
    'workspaces.id',
    'addresses mutes webhooks rules timetables changes accessKeys claims calibrations notes events alerts arrivals commands overrides runs boardHas unreached eventComments',
  ),
];

/** Owners looked for at once. */
const AT_ONCE = 500;
const REST_MS = 20;

/** Numbers of owners that are gone, of which there are rows in a table. */
async function lost(connection: Connection, { table, column, owner }: Owned): Promise<number[]> {
  const [parent, key] = owner.split('.');
  const rows = (await connection.query(
    `SELECT named.id FROM (SELECT DISTINCT ${column} AS id FROM ${table} WHERE ${column} IS NOT NULL) named
      LEFT JOIN ${parent} parent ON parent.${key} = named.id WHERE parent.${key} IS NULL LIMIT ${AT_ONCE}`,
  )) as { id: number }[];
  return rows.map(({ id }) => Number(id));
}

/** Where rows have no owner any more, in words; empty where all is well. What is marked already is on its way. */
export async function findOrphans(connection: Connection): Promise<string[]> {
  const found: string[] = [];
  for (const one of OWNED) {
    const ids = await lost(connection, one);
    if (ids.length > 0) found.push(`${one.table}.${one.column}: ${ids.slice(0, 5).join(', ')}`);
  }
  return found;
}

/** Removes rows whose owner is gone: what was written late, or by a version that forgot them. Works in slices. */
export async function clearOrphans(store: Store, isStopped: () => boolean): Promise<void> {
  for (const one of OWNED) {
    if (isStopped()) return;
    await sleep(REST_MS);
    await store.withConnection(async (connection) => {
      const ids = await lost(connection, one);
      if (ids.length === 0) return;
      if (one.how !== 'rows')
        await connection.batch(
          'INSERT IGNORE INTO leftovers (what, id, madeAt) VALUES (?, ?, ?)',
          ids.map((id) => [one.how, id, clockNow()]),
        );
      else await connection.query(`DELETE FROM ${one.table} WHERE ${one.column} IN (?)`, [ids]);
    });
  }
}
