import { spawn } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { built } from '../../../test/support/program';
import {
  newFolder,
  newPerson,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let person: Person;
const folder = newFolder();

interface Outcome {
  code: number | null;
  out: string;
  err: string;
}

function run(...args: string[]): Promise<Outcome> {
  const child = spawn(process.execPath, [built('cli'), ...args], {
    env: { ...process.env, PEATMOOR_CLI_CONFIG: path.join(folder, 'cli.json'), PEATMOOR_PASSWORD: '' },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  const outcome: Outcome = { code: null, out: '', err: '' };
  child.stdout.on('data', (part: Buffer) => (outcome.out += part.toString()));
  child.stderr.on('data', (part: Buffer) => (outcome.err += part.toString()));
  return new Promise((resolve) => child.once('close', (code) => resolve({ ...outcome, code })));
}
const json = async <T>(...args: string[]): Promise<T> => JSON.parse((await run('--json', ...args)).out) as T;

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
});
afterAll(async () => {
  await service.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

it('says how to sign in first, and what was wrong with signing in', async () => {
  expect(await run('device', 'list')).toMatchObject({
    code: 2,
    err: expect.stringContaining('peatmoor sign-in --url'),
  });
  expect(
    await run('sign-in', '--url', service.url, '--email', person.email, '--password', 'not this one'),
  ).toMatchObject({ code: 1, err: expect.stringContaining('not right') });
  expect(
    await run('sign-in', '--url', 'http://127.0.0.1:9', '--email', person.email, '--password', 'x'),
  ).toMatchObject({ code: 1, err: expect.stringContaining('Is it running') });
  expect(
    await run('sign-in', '--url', service.url, '--email', person.email, '--password', person.password),
  ).toMatchObject({ code: 0, out: expect.stringContaining('Signed in to') });
  expect(fs.statSync(path.join(folder, 'cli.json')).mode & 0o777).toBe(0o600);
});

it('registers a device, reports for it, and looks back', async () => {
  const made = await run(
    'device',
    'new',
    'Footbridge',
    '--stream',
    'visitors:integer:count:0:500',
    'lamp:boolean:control',
  );
  expect(made).toMatchObject({ code: 0, out: expect.stringMatching(/moor[0-9a-z]{30}/) });
  expect(await run('report', 'footbridge', 'visitors=12', 'vistors=3')).toMatchObject({
    code: 0,
    out: expect.stringContaining('the nearest is "visitors"'),
  });
  expect(await run('report', 'footbridge', 'visitors=many')).toMatchObject({
    code: 1,
    out: expect.stringContaining('wrong-type'),
  });
  expect((await run('history', 'footbridge', 'visitors', '--last', '1h')).out).toMatch(/visitors|Visitors/i);
  expect((await run('history', 'footbridge', 'visitors', '--csv')).out).toMatch(
    /^time,value\n\d{4}-.*Z,12\n$/,
  );
  expect((await run('history', 'footbridge', 'visitors', '--chart')).out).toContain('•');
  expect((await json<{ id: string }[]>('device', 'list')).map(({ id }) => id)).toEqual(['footbridge']);
  expect((await run('device', 'arrivals', 'footbridge')).out).toContain('by hand');
  expect((await run('device', 'show', 'footbridge')).out).toContain('mosquitto_pub');
});

it('changes kinds and datastreams', async () => {
  expect((await run('kind', 'new', 'Sluice', '--stream', 'opening:number:%:0:100')).code).toBe(0);
  expect((await run('stream', 'new', 'Sluice', 'horn:boolean:control')).out).toContain('Added: horn');
  expect(
    (await run('stream', 'change', 'Sluice', 'opening', '--key', 'gate_opening', '--pin', '7')).code,
  ).toBe(0);
  expect((await run('stream', 'list', 'sluice')).out).toMatch(/gate_opening .* 7 +opening/);
  expect((await run('kind', 'change', 'Sluice', '--interval', '30')).out).toContain('every 30 s');
  expect(await run('stream', 'change', 'Sluice', 'opening', '--min', '5')).toMatchObject({
    code: 2,
    err: expect.stringContaining('It has: gate_opening, horn'),
  });
  expect((await run('stream', 'delete', 'Sluice', 'horn', '--yes')).code).toBe(0);
  expect((await run('kind', 'delete', 'Sluice')).code).toBe(0);
});

it('follows what happens while it simulates, sets a control and writes a rule', async () => {
  const rule = await run(
    'rule',
    'new',
    'visitors',
    '--device',
    'footbridge',
    '--above',
    '0',
    '--title',
    'Somebody came',
  );
  expect(rule).toMatchObject({ code: 0, out: expect.stringContaining('is above 0') });
  const following = run('follow', 'footbridge', '--for', '4s');
  await until(
    async () => ((await (await fetch(`${service.url}/health`)).json()) as { pages: number }).pages === 1,
  );
  expect((await run('simulate', 'footbridge', '--count', '2', '--every', '100ms')).out).toContain(
    '#2 visitors',
  );
  expect(await run('set', 'footbridge', 'lamp', 'on', '--wait', '300ms')).toMatchObject({
    code: 1,
    out: expect.stringContaining('waiting'),
  });
  const { out, code } = await following;
  expect(code).toBe(0);
  expect(out).toMatch(/footbridge +visitors \d+/);
  expect(out).toContain('wanted lamp = on: waiting');
  expect(out).toContain('Somebody came');
  const [event] = await json<{ id: number }[]>('event', 'list');
  expect((await run('event', 'acknowledge', String(event!.id))).out).toContain('acknowledged');
  expect((await run('rule', 'change', '1', '--off')).out).toContain('Switched off');
  expect((await run('rule', 'delete', '1')).code).toBe(0);
});

it('writes a starter, and leaves the files of the maker alone the second time', async () => {
  const out = path.join(folder, 'starter');
  expect(
    (await run('device', 'starter', 'footbridge', 'python', '--out', out, '--token', 'moorfirst')).code,
  ).toBe(0);
  fs.appendFileSync(path.join(out, 'main.py'), '# mine\n');
  expect(
    (await run('device', 'starter', 'footbridge', 'python', '--out', out, '--token', 'moorsecond')).out,
  ).toContain('left as they are');
  expect(fs.readFileSync(path.join(out, 'main.py'), 'utf8')).toContain('# mine');
  expect(fs.readFileSync(path.join(out, 'settings.py'), 'utf8')).toContain('moorsecond');
});

it('every command has help with an example, and a wrong use exits with 2', async () => {
  const top = (await run('--help')).out;
  for (const name of [
    'sign-in',
    'device',
    'kind',
    'stream',
    'report',
    'follow',
    'set',
    'history',
    'rule',
    'event',
    'simulate',
  ])
    expect(top).toContain(name);
  for (const args of [
    ['device', 'new'],
    ['set'],
    ['history'],
    ['rule', 'new'],
    ['follow'],
    ['simulate'],
    ['event', 'close'],
  ]) {
    const { code, out } = await run(...args, '--help');
    expect([args, code, /Examples?:\n {2}peatmoor/.test(out)]).toEqual([args, 0, true]);
  }
  for (const args of [
    ['nonsense'],
    ['set', 'footbridge'],
    ['history', 'footbridge', 'visitors', '--last', 'long'],
    ['device', 'starter', 'footbridge', 'basic'],
    ['rule', 'new', 'visitors'],
  ])
    expect([args, (await run(...args)).code]).toEqual([args, 2]);
});

it('signs out: the key is ended', async () => {
  expect((await run('sign-out')).out).toContain('Signed out');
  expect((await run('account')).code).toBe(2);
  expect(await person.client.call('listKeys')).toEqual([]);
});
