import { execFileSync, spawn, spawnSync } from 'node:child_process';
import fs from 'node:fs';
import http from 'node:http';
import path from 'node:path';
import { unzipSync } from 'fflate';
import { CLI, cliIn } from '../../../test/support/cli';
import { newFolder, startService, until, type TestService } from '../../../test/support/service';

let service: TestService;
const folder = newFolder();
const run = cliIn(folder);
const json = async <T>(...args: string[]): Promise<T> => JSON.parse((await run('--json', ...args)).out) as T;

beforeAll(async () => {
  service = await startService({ PEATMOOR_SIGN_UP: 'first' });
});
afterAll(async () => {
  await service.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

/** Runs a command with something on its standard input. */
function runWith(input: string, ...args: string[]): string {
  return execFileSync(process.execPath, [CLI, ...args], {
    input,
    encoding: 'utf8',
    env: { ...process.env, PEATMOOR_CLI_CONFIG: path.join(folder, 'cli.json') },
  });
}

it('makes the first account, and signs in with a password from standard input', async () => {
  expect(
    await run(
      'sign-in',
      '--url',
      service.url,
      '--email',
      'warden@quillmere.example',
      '--password',
      'wet moss, quiet',
    ),
  ).toMatchObject({
    code: 1,
    err: expect.stringContaining(
      `has no account yet. Make the first: peatmoor account new --url ${service.url}`,
    ),
  });
  const made = runWith(
    'wet moss, quiet sky\n',
    'account',
    'new',
    '--url',
    service.url,
    '--name',
    'Warden',
    '--email',
    'warden@quillmere.example',
    '--workspace',
    'Quillmere Moss',
    '--password-stdin',
  );
  expect(made).toContain('signed in to Quillmere Moss');
  expect(await json('sign-out')).toEqual({ signedOut: true, keyEnded: true });
  expect(await json('sign-out')).toEqual({ signedOut: false, keyEnded: false });
  const signedIn = runWith(
    'wet moss, quiet sky\n',
    'sign-in',
    '--url',
    `${service.url}/`,
    '--email',
    'warden@quillmere.example',
    '--password-stdin',
  );
  expect(signedIn).toContain('Signed in to Quillmere Moss');
});

it('says in plain words what is at an address that is none of ours', async () => {
  const other = http.createServer((_request, response) => {
    response.writeHead(200, { 'content-type': 'text/html' });
    response.end('<h1>A router</h1>');
  });
  await new Promise<void>((resolve) => other.listen(0, '127.0.0.1', resolve));
  const { port } = other.address() as { port: number };
  const signIn = (url: string) => run('sign-in', '--url', url, '--email', 'a@b.example', '--password', 'x');
  try {
    expect((await signIn(`http://127.0.0.1:${port}`)).err).toMatch(/not Peatmoor but some other web page/);
    expect((await signIn(service.url.replace('http', 'https'))).err).toMatch(
      /Write http:\/\/ instead of https:\/\//,
    );
    expect((await signIn('http://127.0.0.1:9')).err).toContain('Is it running');
    expect((await signIn('moor')).err).toContain('"moor" is not an address');
  } finally {
    other.close();
  }
});

it('helps with any command, completes what is typed, and has --json everywhere', async () => {
  expect((await run('help', 'device', 'new')).out).toMatch(
    /^Usage: peatmoor device new [^]*--json +print JSON/,
  );
  expect(await run('help', 'device', 'paint')).toMatchObject({
    code: 1,
    err: expect.stringContaining('device has: new,'),
  });
  await run(
    'device',
    'new',
    'Footbridge',
    '--stream',
    'visitors:integer:count:0:500',
    'words:text',
    'mode:choice:shut|half',
  );
  await run('device', 'new', 'Footpath', '--stream', 'visitors:integer');
  const complete = async (...words: string[]) =>
    (await run('complete', '--', ...words)).out.trim().split('\n');
  expect(await complete('dev')).toEqual(['device']);
  expect(await complete('device', 'sh')).toEqual(['show']);
  expect(await complete('device', 'show', 'foot')).toEqual(['footbridge', 'footpath']);
  expect(await complete('device', 'new', 'X', '--pa')).toEqual(['--part']);
  for (const shell of ['bash', 'zsh', 'fish'])
    expect((await run('completion', shell)).out).toContain('peatmoor complete --');
  const script = path.join(folder, 'complete.sh');
  fs.writeFileSync(script, (await run('completion', 'bash')).out);
  execFileSync('bash', ['-n', script]);
});

it('gives kinds names of their own', async () => {
  expect(
    (await json<{ device: { kindTitle: string } }>('device', 'new', 'Footbridge', '--id', 'second')).device
      .kindTitle,
  ).toBe('Footbridge 2');
  expect(await run('kind', 'new', 'footbridge')).toMatchObject({
    code: 1,
    err: expect.stringContaining('there is a kind "Footbridge" already'),
  });
  expect(await run('kind', 'change', 'Footpath', '--title', 'FOOTBRIDGE')).toMatchObject({ code: 1 });
  const both = await Promise.all([run('kind', 'new', 'Culvert'), run('kind', 'new', 'Culvert')]);
  expect(both.map(({ code }) => code).sort()).toEqual([0, 1]);
});

it('writes what it can read again, and a program that was used in a wrong way says why', async () => {
  for (const value of [12, 15]) await run('report', 'footbridge', `visitors=${value}`);
  const csv = path.join(folder, 'again.csv');
  fs.writeFileSync(csv, (await run('history', 'footbridge', 'visitors', '--csv')).out);
  expect(fs.readFileSync(csv, 'utf8')).toMatch(/^at,visitors\n20/);
  expect((await run('import', 'footpath', csv)).out).toContain('2 values are taken, 0 refused');
  expect((await run('history', 'footbridge', 'visitors', '--statistics', '--csv')).out).toMatch(
    /^count,min,max,mean,deviation,longestGapMs,sum\n2,12,15,13.5,[^\n]*,27$/m,
  );
  expect((await run('history', 'footbridge', 'visitors', '--step', 'day', '--csv')).out).toMatch(
    /^from,count,min,mean,max,last,sum\n[^]*,2,12,13.5,15,15,27/,
  );
  expect(await json('export', 'footbridge', '--out', path.join(folder, 'all.csv'))).toMatchObject({
    bytes: expect.any(Number),
  });
  // One reading alone has one label on its axis.
  await run('report', 'second', 'x=1');
  await run('device', 'new', 'Alone', '--stream', 'level:number:V');
  await run('report', 'alone', 'level=3.9');
  const chart = (await run('history', 'alone', 'level', '--chart')).out;
  expect(chart.match(/3\.9 V/g)).toHaveLength(1);
  for (const args of [
    ['device', 'new', 'X', '--interval', 'abc'],
    ['device', 'show', 'nowhere'],
    ['kind', 'show', 'nothing'],
    ['rule', 'show', '99'],
    ['kind', 'starter', 'Footbridge', 'cpp', '--claim', 'bad'],
    ['device', 'starter', 'footbridge', 'cpp', '--token', 'bad'],
  ])
    expect([args.join(' '), (await run(...args)).code]).toEqual([args.join(' '), 1]);
  expect((await run('device', 'show')).code).toBe(2);
  expect((await run('device', 'list', '--colour')).code).toBe(2);
});

it('says what is wrong with a rule by the options that were given', async () => {
  const rule = (...said: string[]) => run('rule', 'new', 'visitors', '--device', 'footbridge', ...said);
  const wrong = async (...said: string[]) => (await rule(...said)).err;
  expect(await wrong('--above', '400', '--remind', '0.2s')).toContain('--remind must be 1 s or more.');
  expect(await wrong('--above', '400', '--back', '500')).toContain(
    '--back lies on the wrong side of the limit.',
  );
  expect(await wrong('--expression', 'visitor < 3')).toMatch(
    /--expression cannot be read at character 1\. No datastream is called "visitor"/,
  );
  expect((await run('rule', 'try', 'visitor', '--device', 'footbridge', '--above', '400')).err).toMatch(
    /visitor" is not a datastream of .*\. The nearest is "visitors"\./,
  );
});

it('keeps a rule and its name together, says what is switched off, and warns of a limit nobody can pass', async () => {
  const made = await run('rule', 'new', 'visitors', '--device', 'footbridge', '--above', '400');
  expect(made.code).toBe(0);
  expect((await run('rule', 'change', '1', '--limit', '450')).err).toBe('');
  expect((await run('rule', 'show', '1')).out).toMatch(/^visitors above 450/);
  expect((await run('rule', 'change', '1', '--limit', '900')).err).toContain(
    'outside the range of Visitors, 0 to 500',
  );
  expect(await run('rule', 'change', '1', '--on', '--off')).toMatchObject({
    code: 1,
    err: expect.stringContaining('not both'),
  });
  await run('rule', 'change', '1', '--off');
  expect((await run('rule', 'list')).out).toMatch(/1 +switched off/);
});

it('calibrates, sets choices and what happens outside the range, and makes dashboards', async () => {
  expect((await run('calibration', 'new', 'footbridge', 'visitors', '--offset', '3', '--try')).out).toMatch(
    /Nothing is kept yet[^]*15 +18/,
  );
  expect(
    (await run('calibration', 'new', 'footbridge', 'visitors', '--point', '0=0', '10=11')).out,
  ).toContain('Kept.');
  expect((await run('calibration', 'list', 'footbridge')).out).toMatch(/visitors +0=0 10=11 +all history/);
  const [{ id }] = await json<[{ id: number }]>('calibration', 'list', 'footbridge');
  expect((await run('calibration', 'delete', 'footbridge', String(id))).out).toContain('taken back');
  expect(await run('calibration', 'new', 'footbridge', 'visitors')).toMatchObject({ code: 1 });
  await run('stream', 'change', 'Footbridge', 'visitors', '--outside', 'mark');
  await run('stream', 'change', 'Footbridge', 'mode', '--choices', 'shut, open');
  const { streams } = await json<{ streams: { key: string; rangePolicy: string; choices: string[] }[] }>(
    'kind',
    'show',
    'Footbridge',
  );
  expect(streams.map(({ rangePolicy, choices }) => [rangePolicy, choices.join()])).toEqual([
    ['mark', ''],
    ['refuse', ''],
    ['refuse', 'shut,open'],
  ]);
  expect((await run('dashboard', 'new', 'All of it', '--device', 'footbridge')).out).toMatch(
    /All of it\) is made, with \d+ widgets/,
  );
  expect((await run('dashboard', 'list')).out).toMatch(/All of it/);
  expect((await run('dashboard', 'show', 'all of it')).out).toMatch(/gauge|value/);
  expect((await run('dashboard', 'delete', 'All of it', '--yes')).out).toContain('is deleted');
  expect((await run('dashboard', 'list')).out).toContain('No dashboards yet');
});

it('follows one device as JSON, and goes on after the service was away', async () => {
  const child = spawn(process.execPath, [CLI, '--json', 'follow', 'footbridge', '--for', '60s'], {
    env: { ...process.env, PEATMOOR_CLI_CONFIG: path.join(folder, 'cli.json') },
  });
  let out = '';
  let err = '';
  child.stdout.on('data', (part: Buffer) => (out += part.toString()));
  child.stderr.on('data', (part: Buffer) => (err += part.toString()));
  const ended = new Promise((resolve) => child.once('close', resolve));
  const arrivals = () => out.split('\n').filter((line) => line.includes('"type":"arrival"'));
  const report = async () => void (await run('report', 'footbridge', 'visitors=20'));
  try {
    await until(async () => (await report(), arrivals().length > 0), 'an arrival', 20_000);
    await run('report', 'footpath', 'visitors=7');
    expect(out).not.toContain('footpath');
    await service.restart();
    await until(() => err.includes('The connection ended; trying again'), 'the word of it');
    const before = arrivals().length;
    await until(async () => (await report(), arrivals().length > before), 'an arrival after it', 30_000);
  } finally {
    child.kill('SIGINT');
  }
  expect(await ended).toBe(0);
});

it('is installed from the service itself, without the internet, and is the typed client of programs', async () => {
  const place = path.join(folder, 'program');
  fs.mkdirSync(place);
  fs.writeFileSync(path.join(place, 'package.json'), '{ "type": "module" }');
  // No registry is asked: it has no dependencies.
  execFileSync(
    'npm',
    ['install', '--registry=http://127.0.0.1:9', '--silent', '--no-audit', `${service.url}/client.tgz`],
    {
      cwd: place,
      stdio: 'ignore',
    },
  );
  const { url, key } = JSON.parse(fs.readFileSync(path.join(folder, 'cli.json'), 'utf8')) as {
    url: string;
    key: string;
  };
  fs.writeFileSync(
    path.join(place, 'list.ts'),
    `import { createClient } from 'peatmoor-client';
const client = createClient({ baseUrl: ${JSON.stringify(url)}, headers: { authorization: 'Bearer ${key}' } });
const devices = await client.call('listDevices');
const first: string = devices[0]!.id;
console.log(first, devices.length);
// @ts-expect-error: a device has no such field
console.log(typeof devices[0]!.colourOfItsHat);
`,
  );
  execFileSync(
    process.execPath,
    [
      path.resolve('node_modules/typescript/bin/tsc'),
      '--strict',
      '--target',
      'es2022',
      '--module',
      'nodenext',
      '--types',
      'node',
      '--typeRoots',
      path.resolve('node_modules/@types'),
      'list.ts',
    ],
    { cwd: place },
  );
  expect(execFileSync(process.execPath, ['list.js'], { cwd: place, encoding: 'utf8' })).toMatch(/^\S+ \d+\n/);
  const version = execFileSync(path.join(place, 'node_modules/.bin/peatmoor'), ['--version'], {
    encoding: 'utf8',
  });
  expect(version.trim()).toBe('0.6.0');
});

it('takes everything away as a ZIP with images, and brings it back to the byte', async () => {
  const png = (last: number): Buffer =>
    Buffer.concat([
      Buffer.from('89504e470d0a1a0a0000000d49484452000000010000000108060000001f15c489', 'hex'),
      Buffer.alloc(2000, last),
    ]);
  for (const name of ['Camera', 'Copy'])
    await run('device', 'new', name, '--stream', 'picture:image', 'warmth:number:Cel');
  for (let i = 0; i < 7; i++)
    await run(
      'report',
      'camera',
      `warmth=${i}`,
      `picture=${png(i).toString('base64')}`,
      `at=${Date.now() - (10 - i) * 60_000}`,
    );
  const zip = path.join(folder, 'camera.zip');
  expect(await run('export', 'camera', '--format', 'zip', '--out', zip)).toMatchObject({
    err: '',
    out: expect.stringContaining('Saved '),
  });
  expect((await run('import', 'copy', zip, '--try')).out).toMatch(
    /14 rows: 14 values would be taken, 0 refused/,
  );
  expect((await run('import', 'copy', zip)).out).toMatch(/14 rows: 14 values are taken, 0 refused/);
  expect((await run('import', 'copy', zip)).out).toMatch(/0 refused/);
  const copy = path.join(folder, 'copy.zip');
  await run('export', 'copy', '--format', 'zip', '--out', copy);
  const [before, after] = [zip, copy].map((file) => unzipSync(fs.readFileSync(file)));
  expect(Object.keys(before!)).toHaveLength(8);
  expect(Object.keys(after!)).toEqual(Object.keys(before!));
  for (const [name, bytes] of Object.entries(before!))
    expect(Buffer.from(after![name]!).equals(bytes)).toBe(true);
  fs.writeFileSync(path.join(folder, 'empty.csv'), '');
  expect((await run('import', 'copy', path.join(folder, 'empty.csv'))).err).toContain('is empty');
  // A file that is no ZIP inside, and parts without a name.
  fs.writeFileSync(path.join(folder, 'broken.zip'), 'PK\u0003\u0004 and nothing more');
  expect(await run('import', 'copy', path.join(folder, 'broken.zip'))).toMatchObject({
    code: 1,
    err: expect.stringContaining('is not a whole ZIP'),
  });
  expect(await run('export', 'camera', '--parts')).toMatchObject({
    code: 1,
    err: expect.stringContaining('--out'),
  });
  expect(
    (await run('export', 'camera', '--parts', '--format', 'senml', '--out', path.join(folder, 'c.senml')))
      .out,
  ).toContain('c-001.senml');
});

it('uploads programs, gives them to boards, and shows how far they are', async () => {
  const device = await json<{ token: string }>('device', 'new', 'Pump hut', '--stream', 'flow:number:l/s');
  const file = path.join(folder, 'firmware.bin');
  fs.writeFileSync(file, 'program moor-firmware:2.0.0: and more');
  const kind = 'Pump hut';
  expect((await run('firmware', 'new', kind, '1.0.0', file)).err).toContain('the file says that it is 2.0.0');
  expect((await run('firmware', 'new', kind, '2.0.0', file, '--notes', 'quieter')).out).toContain(
    'Program 2.0.0 is kept',
  );
  expect((await run('firmware', 'list', kind)).out).toMatch(/2\.0\.0 .* quieter/);
  expect((await run('firmware', 'give', kind, '2.0.0', '--device', 'pump-hut')).out).toMatch(
    /Round \d+: 2\.0\.0 to pump-hut, going/,
  );
  await fetch(`${service.url}/device/firmware?has=1.0.0&slots=1`, {
    headers: { authorization: `Bearer ${device.token}` },
  });
  expect((await run('firmware', 'show', kind)).out).toMatch(/pump-hut +cannot .*no room for two programs/);
  const [{ id }] = await json<[{ id: number }]>('firmware', 'show', kind);
  expect((await run('firmware', 'stop', kind, String(id))).out).toContain('stopped');
  expect((await run('firmware', 'continue', kind, String(id), '--first', 'many')).code).toBe(1);
  expect((await run('firmware', 'continue', kind, String(id))).out).toContain('going');
  expect(await run('firmware', 'give', kind, '9.9')).toMatchObject({
    code: 1,
    err: expect.stringContaining('was not uploaded'),
  });
  expect(await run('firmware', 'new', kind, '3', '/nowhere')).toMatchObject({
    code: 1,
    err: expect.stringContaining('no file'),
  });
  expect((await run('firmware', 'delete', kind, '2.0.0')).out).toContain('deleted');
});

it('ends without a word where whoever reads its output has gone', () => {
  const line = `"${process.execPath}" "${CLI}" help device | (exec 0<&-; sleep 0.7)`;
  const { stderr, status } = spawnSync('/bin/bash', ['-c', `set -o pipefail; ${line}`], { encoding: 'utf8' });
  expect([stderr, status]).toEqual(['', 0]);
});
