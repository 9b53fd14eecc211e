import fs from 'node:fs';
import path from 'node:path';
import { gunzipSync } from 'node:zlib';
import { createConnection } from 'mariadb';
import { createHash } from 'node:crypto';
import { pino } from 'pino';
import { createClient } from '@peatmoor/contract';
import { startManagedDatabase } from '../../src/database/managed';
import {
  ALERTING,
  CHUNK_PARTS,
  FAMILIES,
  FIRMWARE,
  FIRMWARE_PARTS,
  CLAIM_TABLES,
  CLOCK,
  COMPUTING_TABLES,
  DEFAULT_VALUES,
  EARLY_FOLDERS,
  EVENT_TIMES,
  FIRST_TABLES,
  LEFTOVERS,
  LIMITS,
  MANNERS,
  PEOPLE,
  FOLLOWING,
  LOOKS,
  PRESSES,
  TIMETABLES,
  UNITS_BESIDE,
  RULE_PARTS,
  SHARED_WORK,
} from '../../src/store/schema';
import { NODES, OPEN_NUMBERS, SHAPE } from '../../src/store/nodes';
import { SHARING } from '../../src/store/sharing';
import { SHOWS } from '../../src/store/shows';
import { STEERING } from '../../src/store/steering';
import { TRUST } from '../../src/store/trust';
import { newFolder, post, sessionFetch, startService, until } from '../../../../test/support/service';

// A small database made by each version is kept; every later version starts from it with all that is in it.
const FOLDER = path.join(__dirname, '../fixtures');
const FIXTURES = fs.readdirSync(FOLDER).filter((name) => name.startsWith('database-'));
const HOUR_MS = 3_600_000;

/** A data folder whose database holds what a fixture holds; gives what the fixture says of itself. */
async function folderOf(
  fixture: string,
  more: readonly string[] = [],
): Promise<{ folder: string; start: number; token: string }> {
  const folder = newFolder();
  const [head, ...rest] = gunzipSync(fs.readFileSync(path.join(FOLDER, fixture)))
    .toString()
    .split('\n');
  const database = await startManagedDatabase(folder, pino({ level: 'silent' }));
  const connection = await createConnection({ ...database } as never);
  for (const statement of [...rest, ...more]) await connection.query(statement.replace(/;$/, ''));
  await connection.end();
  await database.stop();
  return { folder, ...(JSON.parse(head!.replace('-- fixture ', '')) as { start: number; token: string }) };
}

it.each(FIXTURES)('starts from %s with all that is in it', async (fixture) => {
  const { folder, start, token } = await folderOf(fixture);
  const service = await startService({ PEATMOOR_DATA: folder });
  try {
    const client = createClient({ baseUrl: service.url, fetch: sessionFetch() });
    const body = { email: 'warden@quillmere.example', password: 'wet moss, dry boots' };
    expect((await client.call('signIn', { body })).workspace.title).toBe('Quillmere Moss');
    const params = { device: 'dipwell-north' };
    expect(await client.call('readDevice', { params })).toMatchObject({ name: 'Dipwell North', labels: [] });
    const streams = 'water_level,lid';
    const query = { streams, from: start, to: start + 72 * HOUR_MS };
    const { lines } = await client.call('history', { params, query });
    expect(lines.map(({ values }) => values)).toEqual([
      Array.from({ length: 72 }, (_, i) => i - 100),
      Array.from({ length: 72 }, (_, i) => i % 2),
    ]);
    const { lines: days } = await client.call('history', { params, query: { ...query, buckets: 3 } });
    expect(days[0]!.count.reduce((sum, one) => sum + one, 0)).toBe(72);
    expect((await client.call('listRules'))[0]).toMatchObject({
      title: 'Water is high',
      comparison: 'above',
      limit: 50,
      closeLimit: 40,
      emails: ['warden@quillmere.example'],
      openEvents: 1,
    });
    const [event] = await client.call('listEvents');
    expect(event).toMatchObject({ title: 'Water is high', closedAt: null, value: 60 });
    expect(event!.alerts[0]).toMatchObject({ phase: 'opened' });
    // Early versions knew the address alone, later ones whose it is.
    expect(['warden@quillmere.example', 'Warden']).toContain(event!.alerts[0]!.recipient);
    expect((await client.call('listDashboards'))[0]!.widgets.length).toBeGreaterThan(2);
    expect((await client.call('listArrivals', { params })).length).toBeGreaterThan(10);
    // And goes on: the board reports with its token, and its event closes.
    expect((await post(service, token, { water_level: 10 })).status).toBe(200);
    await until(async () => (await client.call('listEvents'))[0]!.closedAt !== null);
  } finally {
    await service.stop();
    fs.rmSync(folder, { recursive: true, force: true });
  }
});

it('what a widget asked first its datastream asks; so do parts that can hurt, and nothing else', async () => {
  const stream = (id: number, key: string, part: string | null): string =>
    `INSERT INTO streams (id, workspaceId, kindId, \`key\`, title, type, rangePolicy, direction, aliases, description, choices, part, boardPin, unconfirmed, holds)
      VALUES (${id}, 1, 1, '${key}', '${key}', 'boolean', 'refuse', 'control', '[]', '', '[]', ${part === null ? 'NULL' : `'${part}'`}, '', 0, 'lasting')`;
  const widget = (key: string, device: string | null, asks: boolean): object => ({
    id: key,
    type: 'switch',
    title: '',
    sources: [{ device, stream: key }],
    options: { asks },
    x: 0,
    y: 9,
    w: 2,
    h: 2,
    version: 1,
  });
  const widgets = [
    widget('gate', 'dipwell-north', true),
    widget('horn', null, true),
    widget('lamp', 'dipwell-north', false),
    widget('pump', 'of-nobody', true),
  ];
  const { folder } = await folderOf('database-0.6.0.sql.gz', [
    stream(901, 'gate', null),
    stream(902, 'horn', null),
    stream(903, 'lamp', null),
    stream(904, 'heater', 'relay'),
    stream(905, 'sign', 'lamp'),
    `UPDATE dashboards SET widgets = '${JSON.stringify(widgets)}' WHERE id = 1`,
  ]);
  const service = await startService({ PEATMOOR_DATA: folder });
  try {
    const client = createClient({ baseUrl: service.url, fetch: sessionFetch() });
    await client.call('signIn', {
      body: { email: 'warden@quillmere.example', password: 'wet moss, dry boots' },
    });
    const { streams } = await client.call('readKind', { params: { kind: 1 } });
    expect(streams.filter(({ asks }) => asks).map(({ key }) => key)).toEqual(['gate', 'horn', 'heater']);
    expect((await client.call('listDashboards'))[0]!.widgets.map(({ options }) => options)).toEqual(
      widgets.map(() => ({})),
    );
  } finally {
    await service.stop();
    fs.rmSync(folder, { recursive: true, force: true });
  }
});

it('no migration that has run anywhere has changed since', () => {
  const known = JSON.parse(fs.readFileSync(path.join(FOLDER, 'migrations.json'), 'utf8')) as Record<
    string,
    string
  >;
  const now = Object.fromEntries(
    Object.entries({
      FIRST_TABLES,
      EARLY_FOLDERS,
      COMPUTING_TABLES,
      CLAIM_TABLES,
      CHUNK_PARTS,
      DEFAULT_VALUES,
      SHARED_WORK,
      LIMITS,
      PEOPLE,
      MANNERS,
      RULE_PARTS,
      LEFTOVERS,
      CLOCK,
      PRESSES,
      FOLLOWING,
      LOOKS,
      TIMETABLES,
      ALERTING,
      SHARING,
      FAMILIES,
      UNITS_BESIDE,
      FIRMWARE,
      FIRMWARE_PARTS,
      NODES,
      SHAPE,
      OPEN_NUMBERS,
      EVENT_TIMES,
      TRUST,
      STEERING,
      SHOWS,
    }).map(([name, statements]) => [name, createHash('sha256').update(statements.join(';')).digest('hex')]),
  );
  if (process.env.KEEP_MIGRATIONS !== undefined)
    fs.writeFileSync(
      path.join(FOLDER, 'migrations.json'),
      `${JSON.stringify({ ...now, ...known }, null, 2)}\n`,
    );
  // A change to one of these belongs into a migration of its own. New ones: KEEP_MIGRATIONS=1 writes them down.
  expect({ ...now, ...known }).toEqual(now);
  expect(Object.keys(known).sort()).toEqual(Object.keys(now).sort());
});
