import { spawn, spawnSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { gunzipSync } from 'node:zlib';
import { createConnection } from 'mariadb';
import { pino } from 'pino';
import { Sequelize } from 'sequelize';
import { createClient } from '@peatmoor/contract';
import { lockFolder } from '../../src/database/folderLock';
import { startManagedDatabase } from '../../src/database/managed';
import { openStore } from '../../src/store/store';
import {
  newDevice,
  newFolder,
  newPerson,
  post,
  readingsOf,
  startService,
  until,
} from '../../../../test/support/service';

const log = pino({ level: 'silent' });
const isRoot = process.getuid?.() === 0;
/** A disk of its own, that can be full: only root may make one. */
const onSmallDisk = isRoot ? it : it.skip;

it('says why a data folder cannot be used', () => {
  const folder = newFolder();
  const file = path.join(folder, 'file');
  fs.writeFileSync(file, '');
  expect(() => lockFolder(file)).toThrow(/cannot be used: it is a file\. Or set PEATMOOR_DATA/);
  expect(() => lockFolder(path.join(file, 'data'))).toThrow(/a part of its path is a file/);
  fs.rmSync(folder, { recursive: true });
});

it('says that another database server is on the folder, and starts once that is gone', async () => {
  const folder = newFolder();
  const first = await startManagedDatabase(folder, log, 'small');
  await first.stop();
  const database = path.join(folder, 'mariadb');
  const socket = path.join(folder, 'other.sock');
  const other = spawn(
    '/usr/sbin/mariadbd',
    [
      '--no-defaults',
      `--datadir=${database}`,
      `--socket=${socket}`,
      `--pid-file=${path.join(folder, 'other.pid')}`,
      '--skip-networking',
      ...(isRoot ? ['--user=root'] : []),
    ],
    { stdio: 'ignore' },
  );
  const gone = new Promise((resolve) => other.once('exit', resolve));
  try {
    await until(() => fs.existsSync(socket));
    await expect(startManagedDatabase(folder, log, 'small')).rejects.toThrow(
      /Another database server uses this folder: stop that one first/,
    );
  } finally {
    other.kill('SIGTERM');
    await gone;
  }
  const again = await startManagedDatabase(folder, log, 'small');
  await again.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

it('an upgrade that is cut off anywhere goes on at the next start', async () => {
  const folder = newFolder();
  const fixture = path.join(__dirname, '../fixtures', 'database-0.1.0-first.sql.gz');
  const statements = gunzipSync(fs.readFileSync(fixture)).toString().split('\n').slice(1);
  const database = await startManagedDatabase(folder, log, 'small');
  const connection = await createConnection({ ...database } as never);
  for (const statement of statements) await connection.query(statement.replace(/;$/, ''));
  const real = Sequelize.prototype.query;
  let cuts = 0;
  // Each time it comes further before it is cut off, until it comes to its end.
  for (let most = 5; ; most = Math.ceil(most * 1.4)) {
    let count = 0;
    const spy = jest.spyOn(Sequelize.prototype, 'query').mockImplementation(function (
      this: Sequelize,
      ...args: unknown[]
    ) {
      if (++count > most) return Promise.reject(new Error('the power went'));
      return (real as (...all: unknown[]) => Promise<unknown>).apply(this, args);
    } as never);
    try {
      const store = await openStore(database, log);
      await store.close();
      break;
    } catch (error) {
      expect((error as Error).message).toContain('the power went');
      cuts++;
    } finally {
      spy.mockRestore();
    }
  }
  expect(cuts).toBeGreaterThan(5);
  expect(await connection.query('SELECT name FROM devices')).toMatchObject([{ name: 'Dipwell North' }]);
  const [{ count }] = (await connection.query('SELECT SUM(count) AS count FROM chunks')) as [
    { count: number },
  ];
  expect(Number(count)).toBeGreaterThan(100);
  await connection.end();
  await database.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

onSmallDisk(
  'a full disk: said at the first start, and nothing acknowledged is lost by one that filled',
  async () => {
    const disk = newFolder();
    expect(spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=40m', 'tmpfs', disk]).status).toBe(0);
    try {
      const dataFolder = path.join(disk, 'data');
      const settings = { PEATMOOR_DATA: dataFolder, PEATMOOR_DATABASE_SIZE: 'small' };
      await expect(startManagedDatabase(dataFolder, log, 'usual')).rejects.toThrow(
        /The disk is full: make room/,
      );
      spawnSync('mount', ['-o', 'remount,size=220m', disk]);
      const service = await startService(settings);
      const { client } = await newPerson(service);
      const { device, token } = await newDevice(client);
      const { secret } = await client.call('createKey', { body: { title: 'full' } });
      const kept: number[] = [];
      const start = Date.now() - 300_000;
      const send = async (value: number): Promise<number> => {
        const { status } = await post(service, token, { at: start + value * 1000, level: -value % 700 });
        if (status === 200) kept.push(value);
        return status;
      };
      for (let i = 0; i < 50; i++) await send(i);
      spawnSync('dd', ['if=/dev/zero', `of=${disk}/fill`, 'bs=64k']);
      for (let i = 50; i < 80; i++) await send(i).catch(() => 0);
      await service.program.kill();
      // With the disk still full it may start or not; where not, it says why.
      const started = await startService(settings).catch((error: Error) => error);
      if (started instanceof Error) expect(started.message).toMatch(/full/);
      else await started.program.kill();
      fs.rmSync(path.join(disk, 'fill'));
      const again = await startService(settings);
      const lasting = createClient({ baseUrl: again.url, headers: { authorization: `Bearer ${secret}` } });
      const there = await readingsOf(lasting, device.id, 'level');
      const times = new Set(there.map(([at]) => (at - start) / 1000));
      expect(kept.filter((value) => !times.has(value))).toEqual([]);
      expect(kept.length).toBeGreaterThanOrEqual(50);
      await again.program.stop();
    } finally {
      spawnSync('umount', [disk]);
      fs.rmSync(disk, { recursive: true, force: true });
    }
  },
);
