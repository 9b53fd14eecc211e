import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { createConnection } from 'mariadb';
import { pino } from 'pino';
import { connectionsFor } from '../src/api/check';
import { startManagedDatabase } from '../src/database/managed';
import { databaseOf, newFolder, newPerson, startService } from '../../../test/support/service';

it('a database of several services takes connections of all of them', () => {
  expect([connectionsFor(1), connectionsFor(3)]).toEqual([26, 58]);
});

it('says what the service stands on, and what to do where something is wrong', async () => {
  const service = await startService();
  try {
    const { client } = await newPerson(service);
    const { findings } = await client.call('check');
    const states = new Map(findings.map(({ what, state }) => [what, state]));
    for (const what of ['clock', 'database', 'tables', 'readings', 'port'])
      expect([what, states.get(what)]).toEqual([what, 'good']);
    // It listens on loopback only here, which no board can reach.
    expect(findings.find(({ what }) => what === 'address')).toMatchObject({
      state: 'look',
      remedy: expect.stringContaining('PEATMOOR_PUBLIC_URL'),
    });
    const connection = await createConnection(databaseOf(service));
    await connection.query(
      "INSERT INTO setAside (what, place, reason, madeAt) VALUES ('chunk', 'x', 'damaged', 1)",
    );
    await connection.end();
    const again = await client.call('check');
    expect(again.findings.find(({ what }) => what === 'readings')).toMatchObject({
      state: 'look',
      found: expect.stringContaining('1 piece could not be handled'),
    });
  } finally {
    await service.stop();
  }
});

describe('a database that cannot start', () => {
  const log = pino({ level: 'silent' });

  it('says that its files are damaged, and what to do', async () => {
    const folder = newFolder();
    const database = await startManagedDatabase(folder, log);
    await database.stop();
    const file = path.join(folder, 'mariadb', 'ibdata1');
    const bytes = fs.readFileSync(file);
    for (let i = 0; i < bytes.length; i += 512) bytes[i] = bytes[i]! ^ 0xff;
    fs.writeFileSync(file, bytes);
    await expect(startManagedDatabase(folder, log)).rejects.toThrow(
      /does not start: .*(damaged|restore a backup|All that it says)/s,
    );
    fs.rmSync(folder, { recursive: true, force: true });
  });

  it('small machines get a small one: its first folder takes less than 100 MB', async () => {
    const folder = newFolder();
    const database = await startManagedDatabase(folder, log, 'small');
    await database.stop();
    const kb = Number(execFileSync('du', ['-sk', folder]).toString().split('\t')[0]);
    expect(kb).toBeLessThan(100 * 1024);
    fs.rmSync(folder, { recursive: true, force: true });
  });
});
