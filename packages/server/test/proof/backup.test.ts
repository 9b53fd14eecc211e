import { spawn } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { gunzipSync, gzipSync } from 'node:zlib';
import { pino } from 'pino';
import { createClient } from '@peatmoor/contract';
import { built } from '../../../../test/support/program';
import { VERSION } from '../../src/version';
import { makeBackup } from '../../src/backup/make';
import { restoreBackup, verifyBackup } from '../../src/backup/restore';
import { startBackups } from '../../src/backup/schedule';
import {
  databaseOf,
  mqttAs,
  newDevice,
  newFolder,
  newPerson,
  post,
  readingsOf,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../../test/support/service';

jest.setTimeout(180_000);

const log = pino({ level: 'silent' });
let service: TestService;
let person: Person;
let token: string;
let folder: string;
const device = 'dipwell-north';
const passphrase = 'sphagnum, sundew and heather';

const parts = (file: string, secret: string | null = null) => ({
  at: databaseOf(service),
  dataFolder: service.dataFolder,
  version: VERSION,
  settings: { PEATMOOR_SMTP_URL: 'smtp://x' },
  file: path.join(folder, file),
  passphrase: secret,
});
const restoreTo = (file: string, dataFolder: string, secret: string | null = null) =>
  restoreBackup({ file: path.join(folder, file), passphrase: secret, dataFolder, databaseUrl: null, log });

beforeAll(async () => {
  service = await startService();
  folder = newFolder();
  person = await newPerson(service);
  ({ token } = await newDevice(person.client));
  const hour = Date.now() - 3_000_000;
  await post(
    service,
    token,
    Array.from({ length: 2000 }, (_, i) => ({ at: hour + i * 1000, level: Math.sin(i / 9) * 50 })),
  );
  fs.mkdirSync(path.join(service.dataFolder, 'certificate'), { recursive: true });
  fs.writeFileSync(path.join(service.dataFolder, 'certificate', 'note'), 'kept');
});
afterAll(async () => {
  await service?.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

it('is of one moment while readings come, loses none of before, can be restored, and nothing old happens then', async () => {
  const { client } = person;
  const kindId = (await client.call('readDevice', { params: { device } })).kindId;
  // What waits: a wanted value, an alert that cannot be sent, a timetable that is due soon.
  await client.call('createCommand', { params: { device }, body: { stream: 'pump', value: true } });
  const { choices } = await client.call('readMyAlerts');
  await client.call('changeMyAlerts', { body: { ...choices, quiet: { from: 1, to: 0 } } });
  await client.call('createRule', {
    body: {
      title: 'High',
      kindId,
      stream: 'level',
      comparison: 'above',
      limit: 100,
      people: [(await client.call('me')).user.id],
    },
  });
  let sent = 0;
  let running = true;
  const sending = (async () => {
    while (running) await post(service, token, { level: 101 + (sent++ % 50) });
  })();
  await until(() => sent > 50);
  await until(async () => (await client.call('listEvents'))[0]?.alerts[0]?.state === 'waiting');
  const before = sent;
  const made = await makeBackup(parts('moss.sql.gz'));
  running = false;
  await sending;
  expect(made).toMatchObject({ counted: true });
  expect(made.rows).toBeGreaterThan(20);
  expect(fs.statSync(made.file).mode & 0o077).toBe(0);
  // It is plain SQL for everybody else.
  expect(gunzipSync(fs.readFileSync(made.file)).toString('latin1')).toContain('CREATE TABLE `chunks`');
  await expect(makeBackup(parts('moss.sql.gz'))).rejects.toThrow(/is there already/);

  const again = newFolder();
  const restored = await restoreTo('moss.sql.gz', again);
  expect(restored).toMatchObject({ compared: true, files: 1 });
  expect(restored.calmed['wanted values']).toBe(1);
  expect(restored.calmed['alerts that waited']).toBeGreaterThan(0);
  expect(restored.calmed.sessions).toBeGreaterThan(0);
  expect(fs.readFileSync(path.join(again, 'certificate/note'), 'utf8')).toBe('kept');
  expect(fs.readFileSync(path.join(again, 'settings-of-the-backup.env'), 'utf8')).toContain('smtp://x');
  await expect(restoreTo('moss.sql.gz', again)).rejects.toThrow(/There is a database in .* already/);

  const other = await startService({ PEATMOOR_DATA: again });
  try {
    const { email, password } = person;
    const there = createClient({ baseUrl: other.url });
    await there.call('signIn', { body: { email, password } });
    const key = await keyOf(other, email, password);
    const count = async (at: Person['client']) => (await readingsOf(at, device, 'level')).length;
    const kept = await count(key);
    expect(kept).toBeGreaterThanOrEqual(2000 + before);
    expect(kept).toBeLessThanOrEqual(2000 + sent);
    // A board that comes is told nothing old.
    const board = await mqttAs(other, device, token);
    const told: string[] = [];
    board.on('message', (topic) => told.push(topic));
    await board.subscribeAsync(`moor/${device}/wanted/#`, { qos: 1 });
    await new Promise((resolve) => setTimeout(resolve, 500));
    expect(told.filter((topic) => topic.endsWith('/pump'))).toEqual([]);
    const [command] = await key.call('listCommands', { params: { device } });
    expect(command).toMatchObject({
      state: 'expired',
      note: expect.stringContaining('restored from a backup'),
    });
    // And goes on: a new value is told, a new reading is kept.
    await key.call('createCommand', { params: { device }, body: { stream: 'pump', value: true } });
    await until(() => told.some((topic) => topic.endsWith('/pump')));
    await post(other, token, { level: 12 });
    await until(async () => (await count(key)) === kept + 1);
    await board.endAsync(true);
  } finally {
    await other.stop();
  }
});

/** A client with a key of its own, as programs have. */
async function keyOf(at: TestService, email: string, password: string): Promise<Person['client']> {
  const signed = await fetch(`${at.url}/api/session`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ email, password }),
  });
  const cookie = signed.headers.getSetCookie()[0]!.split(';')[0]!;
  return createClient({ baseUrl: at.url, headers: { cookie, origin: at.url } });
}

it('is enciphered with a passphrase, and opens with no other', async () => {
  await makeBackup(parts('secret.age', passphrase));
  const text = fs.readFileSync(path.join(folder, 'secret.age')).toString('latin1');
  expect(text.startsWith('age-encryption.org/v1')).toBe(true);
  const verify = (secret: string | null) =>
    verifyBackup({ file: path.join(folder, 'secret.age'), passphrase: secret, log });
  await expect(verify(null)).rejects.toThrow(/is enciphered\. Give its passphrase/);
  await expect(verify('something else entirely')).rejects.toThrow(/passphrase is not that of/);
  expect(await verify(passphrase)).toMatchObject({ compared: true });
});

it('refuses what is cut off, changed, newer or none at all, and leaves nothing of it behind', async () => {
  await makeBackup(parts('whole.sql.gz'));
  const whole = fs.readFileSync(path.join(folder, 'whole.sql.gz'));
  const sql = gunzipSync(whole).toString('latin1');
  const spoilt: [string, Buffer, RegExp][] = [
    ['cut.gz', whole.subarray(0, whole.length - 500), /damaged or was cut off/],
    [
      'noend.gz',
      gzipSync(Buffer.from(sql.split('\n').slice(0, -2).join('\n') + '\n', 'latin1')),
      /its end is missing/,
    ],
    ['none.gz', Buffer.from('hello'), /neither compressed nor enciphered/],
    ['other.gz', gzipSync('SELECT 1;\n'), /is not a backup of Peatmoor/],
    ['newer.gz', gzipSync(Buffer.from(sql.replace('"0001-', '"9001-'), 'latin1')), /newer than this program/],
    [
      'changed.gz',
      gzipSync(Buffer.from(sql.replace(/(INSERT INTO `workspaces` VALUES[^']*')/, '$1x'), 'latin1')),
      /not what was backed up: workspaces/,
    ],
    [
      'wrong.gz',
      gzipSync(Buffer.from(sql.replace('INSERT INTO `users`', 'INSERT INTO `usres`'), 'latin1')),
      /did not take the backup/,
    ],
  ];
  for (const [name, body, why] of spoilt) {
    fs.writeFileSync(path.join(folder, name), body);
    const target = newFolder();
    await expect(restoreTo(name, target)).rejects.toThrow(why);
    expect(fs.existsSync(path.join(target, 'mariadb'))).toBe(false);
    fs.rmSync(target, { recursive: true, force: true });
  }
  await expect(restoreTo('nowhere.gz', newFolder())).rejects.toThrow(/cannot be read/);
});

it('says why none was made, and leaves no half of one', async () => {
  await expect(makeBackup({ ...parts('x/y/z.gz') })).rejects.toThrow(/The backup was not made: .*ENOENT/);
  await expect(
    makeBackup({ ...parts('down.gz'), at: { ...databaseOf(service), password: 'wrong' } }),
  ).rejects.toThrow(/The database does not answer/);
  // A disk that is full while it is written: /dev/full takes nothing.
  fs.symlinkSync('/dev/full', path.join(folder, 'full.gz.part'));
  await expect(makeBackup(parts('full.gz'))).rejects.toThrow(/There is no room for the backup/);
  expect(fs.readdirSync(folder).filter((name) => name.endsWith('.part'))).toEqual([]);
  // Nothing is held up afterwards.
  await post(service, token, { level: 2 });
});

it('holds nobody up where the program that reads the database hangs', async () => {
  const programs = newFolder();
  fs.writeFileSync(path.join(programs, 'mariadb-dump'), '#!/bin/sh\nexec sleep 60\n', { mode: 0o755 });
  const before = process.env.PATH;
  process.env.PATH = `${programs}:${before}`;
  try {
    const making = makeBackup(parts('hangs.gz'));
    making.catch(() => undefined);
    await new Promise((resolve) => setTimeout(resolve, 500));
    // Waits for the end of it, and is kept.
    expect((await post(service, token, { level: 3 })).status).toBe(200);
    await expect(making).rejects.toThrow(/mariadb-dump failed/);
  } finally {
    process.env.PATH = before;
  }
  // The same where the command that makes it stands still: it was paused with a key, say.
  const tool = spawn(
    process.execPath,
    [built('server').replace(/main\.js$/, 'tool.js'), 'backup', path.join(folder, 'paused.gz')],
    {
      env: { ...process.env, PATH: `${programs}:${before}`, PEATMOOR_DATA: service.dataFolder },
      stdio: 'ignore',
    },
  );
  const ended = new Promise((resolve) => tool.once('exit', resolve));
  const isHeld = (): Promise<boolean> =>
    Promise.race([
      post(service, token, { temperature: 3 }).then(() => false),
      new Promise<boolean>((resolve) => setTimeout(resolve, 400, true)),
    ]);
  await until(isHeld, 'it holds all writing');
  tool.kill('SIGSTOP');
  expect((await post(service, token, { level: 3.5 })).status).toBe(200);
  tool.kill('SIGCONT');
  expect(await ended).not.toBe(0);
  // Nothing of it stays open: it is tried again every day for years.
  expect(openFiles(folder)).toEqual([]);
  expect((await post(service, token, { level: 4 })).status).toBe(200);
});

it('comes by itself, keeps so many, and says when the last was and what went wrong', async () => {
  const place = path.join(folder, 'by-itself');
  const { file: _, ...rest } = parts('');
  const plan = { folder: place, everyHours: 24, keep: 2 };
  fs.mkdirSync(place);
  // Two of long ago, and something that is none of ours.
  for (const [name, days] of [
    ['peatmoor-20200101-000000.sql.gz', 40],
    ['peatmoor-20200102-000000.sql.gz', 39],
    ['mine.sql.gz', 50],
  ] as const) {
    fs.writeFileSync(path.join(place, name), '');
    const at = Date.now() / 1000 - days * 86_400;
    fs.utimesSync(path.join(place, name), at, at);
  }
  // While none can be made, those that there are grow old.
  const failing = startBackups(plan, { ...rest, at: { ...rest.at, password: 'wrong' } }, log);
  await until(() => failing.state().problem !== '');
  expect(failing.state()).toMatchObject({ late: true, count: 2 });
  await failing.stop();
  const backups = startBackups(plan, rest, log);
  await until(() => backups.state().count > 0 && !backups.state().late);
  await backups.stop();
  expect(backups.state()).toMatchObject({ count: 2, problem: '', late: false });
  expect(fs.existsSync(path.join(place, 'mine.sql.gz'))).toBe(true);
  expect(fs.existsSync(path.join(place, 'peatmoor-20200101-000000.sql.gz'))).toBe(false);
  // One that is fresh is enough.
  const second = startBackups(plan, rest, log);
  await second.stop();
  expect(second.state().count).toBe(2);
  const broken = startBackups({ ...plan, folder: path.join(place, 'mine.sql.gz') }, rest, log);
  await broken.stop();
  expect(broken.state()).toMatchObject({ newestAt: null, count: 0 });
  expect(broken.state().problem).toMatch(/cannot be used: it is a file/);
});

it('refuses no reading while it is made', async () => {
  let sent = 0;
  let running = true;
  const sending = (async () => {
    while (running) {
      await post(service, token, { level: 1 });
      sent++;
    }
  })();
  await makeBackup(parts('beside.sql.gz'));
  running = false;
  await sending;
  expect(sent).toBeGreaterThan(1);
});

function openFiles(place: string): string[] {
  return fs
    .readdirSync('/proc/self/fd')
    .map((one) => {
      try {
        return fs.readlinkSync(`/proc/self/fd/${one}`);
      } catch {
        return '';
      }
    })
    .filter((one) => one.startsWith(place));
}
