import { spawn, spawnSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { pino } from 'pino';
import { makeBackup } from '../../src/backup/make';
import { restoreBackup } from '../../src/backup/restore';
import { startManagedDatabase } from '../../src/database/managed';
import { openStore } from '../../src/store/store';
import { VERSION } from '../../src/version';
import {
  databaseOf,
  newDevice,
  newFolder,
  newPerson,
  post,
  startService,
  until,
} from '../../../../test/support/service';
import { built } from '../../../../test/support/program';
import { startSharedDatabase } from '../../../../test/support/sharedDatabase';

jest.setTimeout(180_000);
const log = pino({ level: 'silent' });

/** Names, sizes and times of all that is in a folder. */
function listing(folder: string): string[] {
  return fs
    .readdirSync(folder, { recursive: true, withFileTypes: true })
    .map((entry) => path.join(entry.parentPath, entry.name))
    .map((file) => {
      const { size, mtimeMs } = fs.statSync(file);
      return `${file} ${size} ${mtimeMs}`;
    })
    .sort();
}

describe('a database folder that is not whole', () => {
  it.each(['mysql', 'ibdata1', 'peatmoor'])('without %s is refused, and not touched', async (part) => {
    const folder = newFolder();
    const first = await startManagedDatabase(folder, log, 'small');
    await first.stop();
    const database = path.join(folder, 'mariadb');
    fs.renameSync(path.join(database, part), path.join(folder, 'moved-away'));
    const before = listing(database);
    await expect(startManagedDatabase(folder, log, 'small')).rejects.toThrow(
      new RegExp(`is not whole: ${part} is missing.*nothing in it was changed`),
    );
    expect(listing(database)).toEqual(before);
    // Brought back, it starts.
    fs.renameSync(path.join(folder, 'moved-away'), path.join(database, part));
    const again = await startManagedDatabase(folder, log, 'small');
    await again.stop();
    fs.rmSync(folder, { recursive: true });
  });

  it('that holds something else is refused, and not touched', async () => {
    const folder = newFolder();
    const database = path.join(folder, 'mariadb');
    fs.mkdirSync(database);
    fs.writeFileSync(path.join(database, 'ibdata1'), 'half of a copy');
    await expect(startManagedDatabase(folder, log, 'small')).rejects.toThrow(
      /is not whole: mysql and peatmoor are/,
    );
    expect(fs.readFileSync(path.join(database, 'ibdata1'), 'utf8')).toBe('half of a copy');
    fs.rmSync(folder, { recursive: true });
  });

  it('of version 0.6, which has no mark of its own, is started', async () => {
    const folder = newFolder();
    const first = await startManagedDatabase(folder, log, 'small');
    await first.stop();
    fs.rmSync(path.join(folder, 'database-made'));
    const again = await startManagedDatabase(folder, log, 'small');
    await again.stop();
    expect(fs.existsSync(path.join(folder, 'database-made'))).toBe(true);
    fs.rmSync(folder, { recursive: true });
  });

  it('that is gone altogether is not begun again without a word', async () => {
    const folder = newFolder();
    const first = await startManagedDatabase(folder, log, 'small');
    await first.stop();
    fs.renameSync(path.join(folder, 'mariadb'), path.join(folder, 'elsewhere'));
    // As an empty place where a disk is mounted otherwise.
    fs.mkdirSync(path.join(folder, 'mariadb'));
    await expect(startManagedDatabase(folder, log, 'small')).rejects.toThrow(
      /and it is gone\. Is its disk mounted/,
    );
    fs.rmSync(folder, { recursive: true });
  });
});

describe('a first start that is interrupted', () => {
  it('while the folder is built begins again by itself', async () => {
    const folder = newFolder();
    const place = path.join(folder, 'mariadb.unfinished-1234-1700000000000');
    fs.mkdirSync(place);
    fs.writeFileSync(path.join(place, 'begun-by-peatmoor'), '');
    fs.writeFileSync(path.join(place, 'ibdata1'), 'half');
    const database = await startManagedDatabase(folder, log, 'small');
    await database.stop();
    expect(fs.existsSync(place)).toBe(false);
    expect(fs.existsSync(path.join(folder, 'mariadb', 'begun-by-peatmoor'))).toBe(false);
    fs.rmSync(folder, { recursive: true });
  });

  it('leaves alone what stands beside and is not of Peatmoor', async () => {
    const folder = newFolder();
    const places = ['mariadb.unfinished', 'mariadb.unfinished-1234-1700000000000'].map((name) =>
      path.join(folder, name),
    );
    for (const place of places) {
      fs.mkdirSync(place);
      fs.writeFileSync(path.join(place, 'mine'), 'mine');
    }
    const database = await startManagedDatabase(folder, log, 'small');
    await database.stop();
    for (const place of places) expect(fs.readFileSync(path.join(place, 'mine'), 'utf8')).toBe('mine');
    fs.rmSync(folder, { recursive: true });
  });

  it('after the folder came to its place goes on from there', async () => {
    const folder = newFolder();
    const first = await startManagedDatabase(folder, log, 'small');
    await first.stop();
    // As after the rename: no database of ours in it yet, and the mark still there.
    const database = path.join(folder, 'mariadb');
    fs.writeFileSync(path.join(database, 'begun-by-peatmoor'), '');
    fs.rmSync(path.join(database, 'peatmoor'), { recursive: true });
    fs.rmSync(path.join(folder, 'database-made'));
    const again = await startManagedDatabase(folder, log, 'small');
    await again.stop();
    expect(fs.existsSync(path.join(database, 'begun-by-peatmoor'))).toBe(false);
    fs.rmSync(folder, { recursive: true });
  });

  it('killed at any moment, the next start works, and what was acknowledged before stays', async () => {
    const folder = newFolder();
    const settings = {
      ...process.env,
      PEATMOOR_DATA: folder,
      PEATMOOR_HOST: '127.0.0.1',
      PEATMOOR_HTTP_PORT: '0',
      PEATMOOR_MQTT_PORT: '0',
      PEATMOOR_LOCAL_NAME: 'off',
    };
    // Each time it comes a little further.
    for (const ms of [400, 800, 1200, 1800, 2600, 3600])
      spawnSync(process.execPath, [built('server')], {
        env: settings,
        timeout: ms,
        killSignal: 'SIGKILL',
        stdio: 'ignore',
      });
    const database = await startManagedDatabase(folder, log, 'small');
    const store = await openStore(database, log);
    expect(await store.models.users.count()).toBe(0);
    await store.close();
    await database.stop();
    fs.rmSync(folder, { recursive: true });
  });

  it('waits for the end of a server that was killed so early that it had noted nothing, and is slow to end', async () => {
    const folder = newFolder();
    const service = spawn(process.execPath, [built('server')], {
      env: { ...process.env, PEATMOOR_DATA: folder, PEATMOOR_HTTP_PORT: '0', PEATMOOR_MQTT_PORT: '0' },
      stdio: 'ignore',
    });
    const note = path.join(folder, 'mariadb', 'server.pid');
    await until(() => Promise.resolve(fs.existsSync(note)), 'the server', 30_000);
    const pid = Number(fs.readFileSync(note, 'utf8'));
    process.kill(pid, 'SIGSTOP');
    fs.rmSync(note);
    service.kill('SIGKILL');
    setTimeout(() => process.kill(pid, 'SIGCONT'), 5000);
    const database = await startManagedDatabase(folder, log, 'small');
    await database.stop();
    fs.rmSync(folder, { recursive: true });
  });
});

describe('a restore that is interrupted', () => {
  it('is no service, says so, and begins anew when it is asked for again', async () => {
    const service = await startService();
    const { client } = await newPerson(service);
    const { token } = await newDevice(client);
    await post(service, token, { level: -121 });
    const folder = newFolder();
    const file = path.join(folder, 'moss.sql.gz');
    await makeBackup({
      at: databaseOf(service),
      dataFolder: service.dataFolder,
      version: VERSION,
      settings: {},
      file,
      passphrase: null,
    });
    await service.stop();
    const again = path.join(folder, 'again');
    const environment = {
      ...process.env,
      PEATMOOR_DATA: again,
      PEATMOOR_HTTP_PORT: '0',
      PEATMOOR_MQTT_PORT: '0',
    };
    const tool = built('server').replace(/main\.js$/, 'tool.js');
    let cut = 0;
    for (const ms of [700, 1400, 2200, 3000, 4000]) {
      const { status } = spawnSync(process.execPath, [tool, 'restore', file], {
        env: environment,
        timeout: ms,
        killSignal: 'SIGKILL',
        stdio: 'ignore',
      });
      if (status === 0) break;
      if (!fs.existsSync(path.join(again, 'restore-unfinished'))) continue;
      cut++;
      const started = spawnSync(process.execPath, [built('server')], {
        env: environment,
        encoding: 'utf8',
        timeout: 30_000,
      });
      expect([started.status, started.stderr]).toEqual([
        1,
        expect.stringMatching(/A restore into .* was interrupted/),
      ]);
    }
    expect(cut).toBeGreaterThan(0);
    if (fs.existsSync(path.join(again, 'restore-unfinished')) || !fs.existsSync(path.join(again, 'mariadb')))
      await restoreBackup({ file, passphrase: null, dataFolder: again, databaseUrl: null, log });
    const database = await startManagedDatabase(again, log, 'small');
    const store = await openStore(database, log);
    expect(await store.models.devices.count()).toBe(1);
    await store.close();
    await database.stop();

    // Into a database by its address the mark is a table.
    const shared = await startSharedDatabase();
    const connection = await shared.connect();
    await connection.query('CREATE TABLE restoreUnfinished (id INT PRIMARY KEY)');
    await connection.query('CREATE TABLE devices (half INT)');
    await expect(shared.startNode()).rejects.toThrow(/a restore was interrupted/);
    expect(await connection.query('SHOW TABLES')).toHaveLength(2);
    const databaseUrl = shared.url;
    await restoreBackup({ file, passphrase: null, dataFolder: newFolder(), databaseUrl, log });
    expect(await connection.query('SELECT id FROM devices')).toHaveLength(1);
    expect(await connection.query("SHOW TABLES LIKE 'restoreUnfinished'")).toHaveLength(0);
    await connection.end();
    await shared.stop();
    fs.rmSync(folder, { recursive: true });
  });
});
