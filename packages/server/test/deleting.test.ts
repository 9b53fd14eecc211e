import { createConnection } from 'mariadb';
import type { Client } from '@peatmoor/contract';
import {
  databaseOf,
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type TestService,
} from '../../../test/support/service';

const DAY_MS = 86_400_000;
let service: TestService;
let client: Client;

beforeAll(async () => {
  service = await startService();
  ({ client } = await newPerson(service));
});
afterAll(() => service.stop());

/** Rows of a table, by the service's own database. */
async function count(sql: string, values: unknown[] = []): Promise<number> {
  const connection = await createConnection(databaseOf(service));
  try {
    const [row] = (await connection.query(sql, values)) as { n: bigint }[];
    return Number(row!.n);
  } finally {
    await connection.end();
  }
}

it('a device with a year of readings is gone from all pages at once, and nobody else waits', async () => {
  const { device, token } = await newDevice(client, 'Old');
  const other = await newDevice(client, 'Other');
  await client.call('createRule', {
    body: { title: 'Old is high', kindId: device.kindId, stream: 'level', comparison: 'above', limit: -500 },
  });
  await post(service, token, { level: -100 });
  await until(async () => (await client.call('listEvents')).length === 1);
  const kind = await client.call('readKind', { params: { kind: device.kindId } });
  const connection = await createConnection(databaseOf(service));
  const [series] = (await connection.query(
    'SELECT s.id FROM series s JOIN devices d ON d.rowId = s.deviceRowId WHERE d.id = ? AND s.streamId = ?',
    [device.id, kind.streams.find(({ key }) => key === 'level')!.id],
  )) as { id: number }[];
  // As large as a year at one reading in five seconds, without making 6.3 million of them.
  const body = Buffer.alloc(35_000, 7);
  const today = Math.floor(Date.now() / DAY_MS);
  await connection.batch(
    'INSERT INTO chunks (seriesId, day, part, toMs, count, min, max, sum, first, last, body) VALUES (?, ?, 0, 86399999, 17280, 0, 1, 1, 0, 1, ?)',
    Array.from({ length: 365 }, (_, i) => [series!.id, today - 400 + i, body]),
  );
  await connection.end();

  await client.call('deleteDevice', { params: { device: device.id } });
  // At once, while its readings are still being removed:
  const waits: number[] = [];
  const [devices, events, arrivals, overview] = await Promise.all([
    client.call('listDevices'),
    client.call('listEvents'),
    client.call('listAllArrivals'),
    client.call('overview'),
  ]);
  expect(devices.map(({ id }) => id)).toEqual([other.device.id]);
  expect([events, arrivals.filter(({ deviceId }) => deviceId === device.id)]).toEqual([[], []]);
  expect(overview.lines.filter((line) => line.device === device.id)).toEqual([]);
  expect((await post(service, token, { level: -1 })).status).toBe(401);
  for (let left = 1; left > 0; left = await count('SELECT COUNT(*) AS n FROM leftovers')) {
    const start = performance.now();
    expect((await post(service, other.token, { level: -1 })).status).toBe(200);
    waits.push(performance.now() - start);
  }
  expect(await count('SELECT COUNT(*) AS n FROM chunks WHERE seriesId = ?', [series!.id])).toBe(0);
  for (const table of ['events', 'alerts']) expect(await count(`SELECT COUNT(*) AS n FROM ${table}`)).toBe(0);
  // Its name may be used again, and finds nothing of the one before.
  const again = await client.call('createDevice', {
    body: { name: 'Old', id: device.id, kindId: device.kindId },
  });
  expect(again.device.newest).toEqual([]);
});

it('what a stop breaks off is gone on with at the next start', async () => {
  const { device } = await newDevice(client, 'Broken off');
  const connection = await createConnection(databaseOf(service));
  await connection.query("INSERT INTO leftovers (what, id, madeAt) VALUES ('series', 999999, 1)");
  await connection.query(
    "INSERT INTO texts (seriesId, at, body) VALUES (999999, 1, 'left behind'), (999999, 2, 'and this')",
  );
  await connection.end();
  await client.call('deleteDevice', { params: { device: device.id } });
  await until(async () => (await count('SELECT COUNT(*) AS n FROM leftovers')) === 0);
  expect(await count('SELECT COUNT(*) AS n FROM texts WHERE seriesId = 999999')).toBe(0);
});

it('definitions go with what they belong to', async () => {
  const { device } = await newDevice(client, 'Owner');
  await client.call('createToken', { params: { device: device.id }, body: {} });
  await client.call('createRule', {
    body: { title: 'Mine', deviceId: device.id, stream: 'level', comparison: 'above', limit: 5 },
  });
  await client.call('createKey', { body: { title: 'Mine', scope: 'read-device', deviceId: device.id } });
  await client.call('createClaim', { params: { kind: device.kindId }, body: {} });
  const before = await count('SELECT COUNT(*) AS n FROM deviceTokens');
  await client.call('deleteDevice', { params: { device: device.id } });
  await client.call('deleteKind', { params: { kind: device.kindId } });
  expect(await count('SELECT COUNT(*) AS n FROM deviceTokens')).toBe(before - 2);
  for (const [table, column] of [
    ['streams', 'kindId'],
    ['claims', 'kindId'],
  ])
    expect(await count(`SELECT COUNT(*) AS n FROM ${table} WHERE ${column} = ?`, [device.kindId])).toBe(0);
  expect((await client.call('listRules')).filter(({ title }) => title === 'Mine')).toEqual([]);
  expect((await client.call('listKeys')).filter(({ title }) => title === 'Mine')).toEqual([]);
});
