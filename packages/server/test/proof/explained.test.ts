import type { Connection } from 'mariadb';
import { endpoints, type Client, type Endpoint, type EndpointName } from '@peatmoor/contract';
import { newDevice, post, until, type TestService } from '../../../../test/support/service';
import {
  startSharedDatabase,
  urlOf,
  type Node,
  type SharedDatabase,
} from '../../../../test/support/sharedDatabase';

// On a database that is filled, no query of a page walks through a table.
jest.setTimeout(240_000);
const ROWS = 12_000;
/** A table of which more rows are looked at one after the other is walked through. */
const MOST_WALKED = 1500;
const NORTH = 'dipwell-north';

/** Tables of the service itself: of few rows, whatever people do. */
const SMALL = new Set(
  'migrations leases setAside journal journalOffsets journalWriters serviceSecrets shape sharedTime nodes news connections workspaces'.split(
    ' ',
  ),
);

interface Column {
  TABLE_NAME: string;
  COLUMN_NAME: string;
  DATA_TYPE: string;
  CHARACTER_MAXIMUM_LENGTH: number | null;
  EXTRA: string;
}

let shared: SharedDatabase;
let node: Node;
let client: Client;
let root: Connection;
const ids: Record<string, string> = {};

beforeAll(async () => {
  shared = await startSharedDatabase();
  node = await shared.startNode();
  ({ client } = await shared.newOwner(node));
  const { token } = await newDevice(client);
  const service = { url: urlOf(node) } as TestService;
  const kind = (await client.call('listKinds'))[0]!;
  await client.call('createStream', {
    params: { kind: String(kind.id) },
    body: { key: 'note', title: 'Note', type: 'text' } as never,
  });
  await post(service, token, { note: 'dry' });
  const rule = await client.call('createRule', {
    body: { title: 'High', deviceId: NORTH, stream: 'level', comparison: 'above', limit: -500 },
  });
  for (let i = 0; i < 20; i++) await post(service, token, { level: -i, temperature: i });
  const board = await client.call('createStarterDashboard', { params: { device: NORTH } });
  const command = await client.call('createCommand', {
    params: { device: NORTH },
    body: { stream: 'pump', value: true },
  });
  const timetable = await client.call('createTimetable', {
    params: { device: NORTH },
    body: { title: 'x', stream: 'pump', times: [{ days: [1], base: 'clock', minutes: 1, value: 'on' }] },
  });
  const event = await until(async () => (await client.call('listEvents'))[0]);
  Object.assign(ids, {
    device: NORTH,
    kind: String(kind.id),
    stream: 'level',
    rule: String(rule.id),
    dashboard: String(board.id),
    command: String(command.id),
    timetable: String(timetable.id),
    event: String(event.id),
  });
  await post(service, token, { level: -1 });
  root = await shared.connectAsRoot();
});
afterAll(async () => {
  await root.end();
  await shared.stop();
});

/** Fills every table with rows of other workspaces, devices and people, all of it over and done. */
async function fill(): Promise<void> {
  const columns = (await root.query(
    "SELECT TABLE_NAME, COLUMN_NAME, DATA_TYPE, CHARACTER_MAXIMUM_LENGTH, EXTRA FROM information_schema.COLUMNS WHERE TABLE_SCHEMA = 'moor' AND EXTRA NOT LIKE '%GENERATED%' ORDER BY TABLE_NAME, ORDINAL_POSITION",
  )) as Column[];
  const of = new Map<string, Column[]>();
  for (const one of columns) of.set(one.TABLE_NAME, [...(of.get(one.TABLE_NAME) ?? []), one]);
  const over: Record<string, string> = {
    active: '0',
    state: "'sent'",
    closedAt: '1',
    endedAt: '1',
    acknowledgedAt: '1',
    followUntil: 'NULL',
    until: '1',
    nextAt: 'NULL',
    remindAt: 'NULL',
    escalateAt: 'NULL',
    // As many of each: some hundreds of a workspace, a few of a device.
    workspaceId: '100 + seq MOD 40',
    deviceRowId: '100 + seq MOD 3000',
    gatewayRowId: 'NULL',
    deletedAt: 'NULL',
  };
  const valueOf = ({
    COLUMN_NAME: name,
    DATA_TYPE: type,
    CHARACTER_MAXIMUM_LENGTH: length,
  }: Column): string => {
    if (over[name] !== undefined) return over[name];
    if (type === 'binary' || type === 'varbinary') return `LEFT(UNHEX(SHA2(seq, 256)), ${length})`;
    if (type === 'blob' || type === 'mediumblob' || type === 'longblob') return "''";
    if (/text$/.test(type)) return "'[]'";
    if (type === 'varchar' || type === 'char')
      return `LEFT(CONCAT(CONV(seq + 50000, 10, 36), 'x'), ${length})`;
    if (type === 'datetime') return 'NOW(3) - INTERVAL seq SECOND';
    if (/At$/.test(name)) return '1750000000000 + seq * 1000';
    if (/^(tinyint|smallint)$/.test(type)) return '0';
    return '100 + seq';
  };
  await root.query('SET FOREIGN_KEY_CHECKS = 0, UNIQUE_CHECKS = 0');
  for (const [table, all] of of) {
    if (SMALL.has(table)) continue;
    const given = all.filter(({ EXTRA, COLUMN_NAME }) => EXTRA !== 'auto_increment' && COLUMN_NAME !== '');
    await root.query(
      `INSERT IGNORE INTO \`${table}\` (${given.map(({ COLUMN_NAME }) => `\`${COLUMN_NAME}\``).join(', ')}) SELECT ${given.map(valueOf).join(', ')} FROM seq_1_to_${ROWS}`,
    );
    await root.query(`ANALYZE TABLE \`${table}\``);
  }
}

const period = { from: Date.now() - 86_400_000, to: Date.now() };
const queryOf: Partial<Record<EndpointName, object>> = {
  history: { streams: 'level', ...period },
  listOthers: { stream: 'note', ...period },
  calendar: { stream: 'level', ...period },
  statistics: { stream: 'level', ...period },
  listEvents: { device: NORTH },
  listCommands: { stream: 'pump' },
};

/** The look for what its datastream keeps no longer, which happens to fall into the time of a page. */
const HOURLY = /\bd\.keepDays IS NOT NULL\b/;

interface Explained {
  table: string | null;
  type: string | null;
  key: string | null;
  rows: number | null;
}

it('no query of any page walks through a table', async () => {
  await fill();
  await root.query("SET GLOBAL log_output = 'TABLE', GLOBAL general_log = 1");
  const asked = new Map<string, string>();
  const failed: string[] = [];
  const routes = Object.entries(endpoints as unknown as Record<EndpointName, Endpoint>).filter(
    ([, { method }]) => method === 'GET',
  );
  for (const [name, { path }] of routes) {
    const params = Object.fromEntries(
      [...path.matchAll(/:(\w+)/g)].map(([, one]) => [one!, ids[one!] ?? '1']),
    );
    await root.query('TRUNCATE mysql.general_log');
    await (client.call as (name: string, input: object) => Promise<unknown>)(name, {
      params,
      query: queryOf[name as EndpointName] ?? {},
    }).catch((error: Error) => failed.push(`${name}: ${error.message}`));
    const statements = (await root.query(
      "SELECT DISTINCT CONVERT(argument USING utf8mb4) AS text FROM mysql.general_log WHERE command_type IN ('Query', 'Execute') AND argument REGEXP '^[[:space:]]*SELECT' AND user_host LIKE 'moor%'",
    )) as { text: string }[];
    for (const { text } of statements) {
      // What is done once an hour, whoever asks, is no page's.
      if (HOURLY.test(text)) continue;
      const shape = text
        .replace(/'(?:[^'\\]|\\.)*'|x'[0-9a-f]*'|\b\d+(\.\d+)?\b/gi, '?')
        .replace(/\?(, ?\?)+/g, '?');
      if (!asked.has(shape)) asked.set(shape, `${name}\n${text}`);
    }
  }
  await root.query('SET GLOBAL general_log = 0');
  expect(asked.size).toBeGreaterThan(80);
  const walked: string[] = [];
  for (const text of asked.values()) {
    const [name, ...rest] = text.split('\n');
    const sql = rest.join('\n');
    // The first rows of whatever order, and no more of them, are not walked through.
    if (!/\bWHERE\b|\bGROUP BY\b|\bORDER BY\b|\bcount\(/i.test(sql) && /\bLIMIT \d+$/.test(sql)) continue;
    const rows = (await root.query(`EXPLAIN ${sql}`).catch(() => [])) as Explained[];
    for (const { table, type, key, rows: count } of rows)
      if ((type === 'ALL' || type === 'index') && Number(count) > MOST_WALKED)
        walked.push(`${name}: ${table} by ${key ?? 'nothing'}, ${count} rows: ${sql.slice(0, 300)}`);
  }
  // Links are read by their secrets, which are tried elsewhere.
  expect(failed.filter((one) => !/^read(AlertLink|Shared):|^[a-zA-Z]+: There is no/.test(one))).toEqual([]);
  expect(walked).toEqual([]);
});
