import { spawnSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { UniqueConstraintError } from 'sequelize';
import { keepNew } from '../src/auth/newSecrets';
import { loggedError } from '../src/bareError';
import { createLogRate } from '../src/logRate';
import { startService, type TestService } from '../../../test/support/service';

describe('the rate of the log', () => {
  it('lets thirty lines of one message through in a minute, and says how many were left out', () => {
    let now = 0;
    const rate = createLogRate(() => now);
    const written = (message: string, times: number) =>
      Array.from({ length: times }, () => rate.admits(message)).filter(Boolean).length;
    expect(written('the database is down', 500)).toBe(30);
    expect(written('another', 5)).toBe(5);
    expect(rate.leftOut()).toEqual([['the database is down', 470]]);
    expect(rate.leftOut()).toEqual([]);
    now = 61_000;
    expect(written('the database is down', 3)).toBe(3);
  });

  it('bounds what is always another message too, and what it remembers of it', () => {
    const rate = createLogRate(() => 0);
    let lines = 0;
    for (let i = 0; i < 100_000; i++) if (rate.admits(`message ${i}`)) lines++;
    expect(lines).toBeLessThanOrEqual(1000);
    expect(rate.leftOut().length).toBeLessThanOrEqual(201);
  });
});

describe('an error of the database in the log', () => {
  it('says what went wrong, without the rows that it came with', () => {
    const parent = Object.assign(
      new Error("Duplicate entry 'rx33vn' for key 'fingerprint'\nsql: INSERT … parameters:['0x21c3']"),
      { errno: 1062, code: 'ER_DUP_ENTRY', sql: 'INSERT', parameters: ['0x21c3'], sqlState: '23000' },
    );
    const error = new UniqueConstraintError({ parent: parent as never, fields: { secretHash: '0x21c3' } });
    for (const one of [error, parent]) {
      const line = JSON.stringify(loggedError(one));
      expect(line).toContain('rx33vn');
      expect(line).toContain('1062');
      expect(line).toContain('logging.test');
      expect(line).not.toMatch(/0x21c3|secretHash|INSERT/);
    }
    expect(loggedError(new TypeError('no'))).toMatchObject({ type: 'TypeError', message: 'no' });
  });
});

describe('a new secret', () => {
  const taken = (column: string): UniqueConstraintError =>
    new UniqueConstraintError({
      parent: Object.assign(new Error(`Duplicate entry for key '${column}'`), { sql: '' }) as never,
    });
  it('is another one where one that begins like it is there, as there will be among very many', async () => {
    const made = ['moor1', 'moor2', 'moor3'];
    const tried: string[] = [];
    const make = () => ({ fingerprint: made[tried.length]!, secretHash: Buffer.alloc(0) });
    const keep = (column: string) => (one: { fingerprint: string }) => {
      tried.push(one.fingerprint);
      return tried.length < 3 ? Promise.reject(taken(column)) : Promise.resolve(7);
    };
    expect(await keepNew(make, keep('fingerprint'))).toMatchObject({
      made: { fingerprint: 'moor3' },
      row: 7,
    });
    tried.length = 0;
    // What else is there already is no matter of the secret.
    await expect(keepNew(make, keep('workspaceDevice'))).rejects.toThrow();
    expect(tried).toEqual(['moor1']);
  });
});

describe('an answer', () => {
  let service: TestService;
  beforeAll(async () => {
    service = await startService({ PEATMOOR_TRUST_PROXY: '127.0.0.1' });
  });
  afterAll(() => service.stop());

  it('has a number of its own, or that of a proxy which is believed', async () => {
    const idOf = async (headers: Record<string, string> = {}) =>
      (await fetch(`${service.url}/api/status`, { headers })).headers.get('x-request-id');
    const [first, second] = [await idOf(), await idOf()];
    expect(first).toMatch(/^[0-9a-f]{16}$/);
    expect(second).not.toBe(first);
    expect(await idOf({ 'x-request-id': 'front-17' })).toBe('front-17');
    expect(await idOf({ 'x-request-id': 'a b' })).not.toBe('a b');
  });
});

it('the unit file is one that systemd takes, and gives the service no more than it needs', () => {
  const file = path.resolve(__dirname, '../../../deploy/peatmoor.service');
  const text = fs.readFileSync(file, 'utf8');
  for (const line of [
    'NoNewPrivileges=yes',
    'ProtectSystem=strict',
    'CapabilityBoundingSet=',
    'Restart=always',
  ])
    expect(text).toContain(`\n${line}\n`);
  const { status, stdout, stderr, error } = spawnSync('systemd-analyze', ['verify', file], {
    encoding: 'utf8',
  });
  // Where the program of systemd is not there, nothing more can be said; prepare brings it for the tests where it may.
  if (error !== undefined) return;
  // The user is made, and the program put there, by whoever sets it up.
  const wrong = `${stdout}${stderr}`
    .split('\n')
    .filter((line) => line !== '' && !/not executable|Unknown user|User=/.test(line));
  expect(wrong).toEqual([]);
  expect(status === 0 || /not executable/.test(stderr)).toBe(true);
});
