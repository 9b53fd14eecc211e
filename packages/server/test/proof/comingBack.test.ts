import fs from 'node:fs';
import path from 'node:path';
import { createConnection, type Connection } from 'mariadb';
import { createClient, type Client, type RuleIn } from '@peatmoor/contract';
import {
  databaseOf,
  newDevice,
  newFolder,
  newPerson,
  post,
  startService,
  until,
  type TestService,
} from '../../../../test/support/service';

// A clock that was wrong for some seconds and comes back: whatever remembers a time that was never forgets it.
jest.setTimeout(120_000);
const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
const DAY = 24 * HOUR;
const shiftFile = path.join(newFolder(), 'shift');
const backups = newFolder();
/** Sets the clock of the service off, and waits until it has seen so. */
async function shift(ms: number): Promise<void> {
  fs.writeFileSync(shiftFile, String(ms));
  await new Promise((resolve) => setTimeout(resolve, 100));
  await fetch(`${service.url}/health`);
}
let service: TestService;
let client: Client;
let connection: Connection;
const north = 'dipwell-north';
const south = 'dipwell-south';
const tokens = new Map<string, string>();
const report = (device: string, values: object) => post(service, tokens.get(device)!, values);

beforeAll(async () => {
  fs.writeFileSync(shiftFile, '0');
  const later = path.join(backups, 'peatmoor-20280101-000000.sql.gz');
  fs.writeFileSync(later, 'of a clock that was wrong');
  fs.utimesSync(later, new Date(), new Date(Date.now() + 400 * DAY));
  service = await startService({
    NODE_OPTIONS: `--import=${path.resolve(__dirname, '../../../../test/support/shiftedClock.mjs')}`,
    SHIFT_FILE: shiftFile,
    PEATMOOR_BACKUP_FOLDER: backups,
  });
  const person = await newPerson(service);
  const { secret } = await person.client.call('createKey', { body: { title: 'clocks' } });
  client = createClient({ baseUrl: service.url, headers: { authorization: `Bearer ${secret}` } });
  tokens.set(north, (await newDevice(client)).token);
  tokens.set(south, (await newDevice(client, 'Dipwell South')).token);
  connection = await createConnection({ ...databaseOf(service), bigIntAsNumber: true });
});
afterEach(() => shift(0));
afterAll(async () => {
  await connection.end();
  await service.stop();
});

const numbers = async (sql: string): Promise<number[]> =>
  ((await connection.query(sql)) as { n: number | null }[]).flatMap(({ n }) =>
    n === null ? [] : [Number(n)],
  );
const open = async (title: string): Promise<number> =>
  (await client.call('listEvents')).filter((one) => one.title === title && one.closedAt === null).length;

it('a backup of a later time is no reason to make none', async () => {
  await until(() => fs.readdirSync(backups).filter((name) => /^peatmoor-2026/.test(name)).length === 1);
});

it.each([
  ['an hour and a half', 1.5 * HOUR],
  ['a day', DAY],
  ['400 days', 400 * DAY],
  ['since 1970', -Date.now() + 10_000],
])('%s off', async (what, off) => {
  const high = `High, ${what}`;
  const silent = `Silent, ${what}`;
  const make = (body: Partial<RuleIn>) => client.call('createRule', { body: body as RuleIn });
  await report(north, { temperature: 5 });
  await report(south, { level: 1 });
  const { id: highId } = await make({
    title: high,
    deviceId: north,
    stream: 'temperature',
    comparison: 'above',
    limit: 50,
    repeatMs: 10 * MINUTE,
  });
  const { id: silentId } = await make({
    title: silent,
    deviceId: south,
    stream: 'level',
    comparison: 'silent',
    withinMs: HOUR,
  });
  const minutes = (Math.floor(Date.now() / MINUTE) + 30) % 1440;
  const timetable = await client.call('createTimetable', {
    params: { device: north },
    body: {
      title: what,
      stream: 'pump',
      times: [{ days: [1, 2, 3, 4, 5, 6, 7], base: 'clock', minutes, value: 'on' }],
    },
  });

  await shift(off);
  const isAhead = off > 0;
  await report(north, { temperature: 60 });
  await until(async () => (await open(high)) === 1);
  if (isAhead) await until(async () => (await open(silent)) === 1);
  const now = isAhead ? Date.now() + off : Date.now();
  await client.call('mute', { body: { sort: 'device', target: south, until: now + HOUR } });
  await client.call('addPerson', { body: { role: 'viewer', days: 7 } });
  await client.call('createClaim', {
    params: { kind: (await client.call('listKinds'))[0]!.id },
    body: { title: what },
  });
  await client.call('offerDevice', { params: { device: north }, body: {} });
  await client.call('createCommand', {
    params: { device: north },
    body: { stream: 'pump', value: true, until: now + MINUTE },
  });
  await new Promise((resolve) => setTimeout(resolve, off > DAY ? 16_000 : 2000));
  await shift(0);

  // The board goes on, and is heard by the rules at once.
  await report(south, { level: 2 });
  await report(north, { temperature: 5 });
  await until(async () => (await open(high)) + (await open(silent)) === 0, 'the events close');
  await report(north, { temperature: 61 });
  await until(async () => (await open(high)) === 1, 'the event opens again');
  expect(
    (
      await client.call('createCommand', {
        params: { device: north },
        body: { stream: 'pump', value: false },
      })
    ).state,
  ).toBe('waiting');

  // Nothing of what is kept is later than it was meant to be.
  const soon = Date.now() + 6 * MINUTE;
  await until(
    async () =>
      (await numbers(`SELECT openedAt AS n FROM events WHERE openedAt > ${soon} OR closedAt > ${soon}`))
        .length === 0,
  );
  const latest = async (sql: string): Promise<number> => Math.max(0, ...(await numbers(sql))) - Date.now();
  expect(await latest('SELECT until AS n FROM mutes')).toBeLessThanOrEqual(HOUR + MINUTE);
  expect(await latest('SELECT until AS n FROM mutes')).toBeGreaterThan(HOUR - 2 * MINUTE);
  expect(await latest('SELECT endsAt AS n FROM invitations')).toBeLessThanOrEqual(7 * DAY + MINUTE);
  expect(await latest('SELECT endsAt AS n FROM offers')).toBeLessThanOrEqual(8 * DAY);
  expect(await latest('SELECT endsAt AS n FROM claims')).toBeLessThanOrEqual(32 * DAY);
  expect(await latest('SELECT remindAt AS n FROM events WHERE closedAt IS NULL')).toBeLessThanOrEqual(
    11 * MINUTE,
  );
  expect(await latest("SELECT dueAt AS n FROM alerts WHERE state = 'waiting'")).toBeLessThanOrEqual(
    15 * MINUTE,
  );
  expect(await latest('SELECT committedAt AS n FROM journal')).toBeLessThanOrEqual(MINUTE);
  expect(
    await latest("SELECT until AS n FROM commands WHERE state IN ('waiting', 'sent')"),
  ).toBeLessThanOrEqual(7 * DAY);
  expect(await latest('SELECT createdAt AS n FROM commands')).toBeLessThanOrEqual(MINUTE);
  await until(async () => (await latest('SELECT nextAt AS n FROM timetables')) <= DAY, 'the timetable');
  const { next } = await client.call('readTimetable', { params: { timetable: timetable.id } });
  expect(next!.at - Date.now()).toBeLessThanOrEqual(DAY);

  for (const rule of [highId, silentId]) await client.call('deleteRule', { params: { rule } });
  await client.call('deleteTimetable', { params: { timetable: timetable.id } });
  await client.call('withdrawOffer', { params: { device: north } }).catch(() => undefined);
});
