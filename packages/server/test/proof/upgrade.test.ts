import fs from 'node:fs';
import { packColumns } from '@peatmoor/core';
import { createConnection } from 'mariadb';
import { deflateRawSync } from 'node:zlib';
import { pino } from 'pino';
import { startManagedDatabase, type ManagedDatabase } from '../../src/database/managed';
import { mergeIntoChunks } from '../../src/history/chunks';
import { createHistoryReader } from '../../src/history/read';
import { createRecent } from '../../src/history/recent';
import { findAll } from '../../src/store/rows';
import { FIRMWARE, FIRST_TABLES } from '../../src/store/schema';
import { inRawTransaction, openStore, type Store } from '../../src/store/store';
import { newFolder } from '../../../../test/support/service';

const log = pino({ level: 'silent' });
const DAY = 86_400_000;
const START = Math.floor(Date.UTC(2026, 1, 3) / DAY) * DAY;
const folder = newFolder();
let database: ManagedDatabase;
let store: Store;

/** A database as the first migration left it, with a kind, a datastream, a device and a day of readings. */
beforeAll(async () => {
  database = await startManagedDatabase(folder, log);
  const connection = await createConnection({ ...database, bigIntAsNumber: true } as never);
  for (const statement of FIRST_TABLES) await connection.query(statement);
  await connection.query('CREATE TABLE migrations (name VARCHAR(80) PRIMARY KEY)');
  await connection.query("INSERT INTO migrations VALUES ('0001-first-tables')");
  await connection.query(
    "INSERT INTO users (email, name, passwordHash, createdAt) VALUES ('warden@quillmere.example', 'Warden', 'x', 1)",
  );
  await connection.query(
    "INSERT INTO kinds (workspaceId, title, intervalS, acceptNew, notes, board, icon, createdAt) VALUES (1, 'Dipwell', 60, 0, '', '', '', 1)",
  );
  await connection.query(
    "INSERT INTO streams (workspaceId, kindId, `key`, title, type, rangePolicy, direction, aliases, description, choices, boardPin, unconfirmed) VALUES (1, 1, 'level', 'Level', 'number', 'refuse', 'report', '[]', '', '[]', '', 0)",
  );
  await connection.query(
    "INSERT INTO devices (workspaceId, kindId, id, name, createdAt, proof, labels, notes, about) VALUES (1, 1, 'dipwell', 'Dipwell', 1, '{}', '[]', '', '{}')",
  );
  await connection.query(
    'INSERT INTO series (workspaceId, deviceRowId, streamId, newestAt, newestValue) VALUES (1, 1, 1, ?, 3)',
    [START + 7200_000],
  );
  const times = [START + 3600_000, START + 5400_000, START + 7200_000];
  await connection.query(
    'INSERT INTO chunks (seriesId, day, workspaceId, count, min, max, sum, first, last, hours, tens, body) VALUES (1, ?, 1, 3, 1, 3, 6, 1, 3, NULL, NULL, ?)',
    [START / DAY, deflateRawSync(packColumns({ times, values: [1, 2, 3] }))],
  );
  await connection.end();
  store = await openStore(database, log);
});
afterAll(async () => {
  await store.close();
  await database.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

const plain = { seriesId: 1, calibrations: [] };

it('brings a database of the first release up to date, and keeps what is in it', async () => {
  const [user] = await findAll(store.models.users);
  expect(user).toMatchObject({ email: 'warden@quillmere.example', units: 'metric' });
  const [stream] = await findAll(store.models.streams);
  expect(stream).toMatchObject({ key: 'level', computation: null, defaultValue: null, aliases: [] });
  const [device] = await findAll(store.models.devices);
  expect(device).toMatchObject({ id: 'dipwell', claimId: null, claimOpen: false });
});

it('reads, adds to and looks around in days that were kept whole', async () => {
  const reader = createHistoryReader(store, createRecent());
  expect((await reader.readings(plain, START, START + DAY)).values).toEqual([1, 2, 3]);
  expect(await reader.nearest(plain, START + 3600_000, 'before')).toBeNull();
  expect(await reader.nearest(plain, START + 3600_000, 'after')).toEqual({
    at: START + 5400_000,
    value: 2,
  });
  expect(await reader.nearest(plain, Infinity, 'before')).toEqual({ at: START + 7200_000, value: 3 });
  // Before, between and after what is there; the day stays one chunk.
  for (const [hours, value] of [
    [0.5, 10],
    [1.2, 11],
    [20, 12],
  ] as const)
    await inRawTransaction(store, (connection) =>
      mergeIntoChunks(connection, new Map([[1, { times: [START + hours * 3600_000], values: [value] }]])),
    );
  expect((await reader.readings(plain, START, START + DAY)).values).toEqual([10, 1, 11, 2, 3, 12]);
  const [line] = await reader.lines([{ key: 'level', ...plain }], START, START + 10 * DAY, 5);
  expect(line!.count.reduce((all, one) => all + one, 0)).toBe(6);
});

it('is brought up to date once: opening it again changes nothing', async () => {
  const second = await openStore(database, log);
  expect((await findAll(second.models.users)).length).toBe(1);
  await second.close();
});

it('is not opened by a program that is older than it', async () => {
  await store.sequelize.query("INSERT INTO migrations (name) VALUES ('9999-of-tomorrow')");
  await expect(openStore(database, log)).rejects.toThrow(
    /newer Peatmoor, which changed it by "9999-of-tomorrow"/,
  );
  await store.sequelize.query("DELETE FROM migrations WHERE name = '9999-of-tomorrow'");
  await (await openStore(database, log)).close();
});

it('divides the bytes of programs that were kept whole', async () => {
  const body = Buffer.from(Array.from({ length: 150_000 }, (_, i) => i % 251));
  for (const statement of FIRMWARE) await store.sequelize.query(statement);
  await store.withConnection(async (connection) => {
    await connection.query(
      "INSERT INTO firmwares (id, workspaceId, kindId, version, notes, size, sha256, signature, userName, madeAt) VALUES (7, 1, 1, '1.0.0', '', ?, '', '', 'Warden', 1)",
      [body.length],
    );
    await connection.query('INSERT INTO firmwareBodies (firmwareId, body) VALUES (7, ?)', [body]);
  });
  await store.sequelize.query("DELETE FROM migrations WHERE name = '0018-firmware-parts'");
  await (await openStore(database, log)).close();
  const parts = await findAll(store.models.firmwareParts, { where: { firmwareId: 7 }, order: ['part'] });
  expect(parts.map((one) => one.body.length)).toEqual([65_536, 65_536, 150_000 - 2 * 65_536]);
  expect(Buffer.concat(parts.map((one) => one.body)).equals(body)).toBe(true);
});
