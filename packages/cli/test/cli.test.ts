import fs from 'node:fs';
import path from 'node:path';
import { cliIn } from '../../../test/support/cli';
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

const run = cliIn(folder);
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
    code: 1,
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

it('knows parts, registers a device of them, and writes its program without taking away what was filled in', async () => {
  const found = await run('part', 'list', 'temperature');
  expect(found.out.split('\n').find((line) => line.startsWith('climate-wire'))).toMatch(/°C, % RH/);
  expect(await run('part', 'show', 'climate-wire')).toMatchObject({
    code: 0,
    out: expect.stringMatching(/Humidity in % RH, 0 to 100[^]*signal +GPIO 4[^]*A loose wire: No answer/),
  });
  expect(await run('device', 'new', 'Bog hut', '--part', 'climate-wires')).toMatchObject({
    code: 1,
    err: expect.stringContaining('Did you mean climate-wire?'),
  });
  expect(
    await run('device', 'new', 'Bog hut', '--part', 'climate-wire', 'relay', '--stream', 'temperature'),
  ).toMatchObject({ code: 0 });
  const kind = await json<{ streams: { key: string; boardPin: string }[] }>('kind', 'show', 'Bog hut');
  expect(kind.streams.map(({ key, boardPin }) => [key, boardPin])).toEqual([
    ['temperature', ''],
    ['temperature_2', 'GPIO 4'],
    ['humidity', 'GPIO 4'],
    ['relay', 'GPIO 26'],
  ]);
  const out = path.join(folder, 'hut');
  expect(await run('device', 'starter', 'bog-hut', 'cpp', '--token', 'moorsecret')).toMatchObject({
    code: 1,
    err: expect.stringContaining('not a whole device token'),
  });
  const { secret } = await json<{ secret: string }>('device', 'token', 'bog-hut');
  await run('device', 'starter', 'bog-hut', 'cpp', '--token', secret, '--out', out);
  const settings = path.join(out, 'src/settings.h');
  fs.writeFileSync(settings, fs.readFileSync(settings, 'utf8').replace('WIFI_NAME ""', 'WIFI_NAME "moss"'));
  fs.appendFileSync(path.join(out, 'src/main.cpp'), '// mine\n');
  expect((await run('device', 'starter', 'bog-hut', 'cpp', '--out', out)).out).toMatch(
    /2 files of yours were left as they are/,
  );
  const again = fs.readFileSync(settings, 'utf8');
  expect(again).toContain('WIFI_NAME "moss"');
  expect(again).toContain(secret);
  expect(fs.readFileSync(path.join(out, 'src/main.cpp'), 'utf8')).toContain('// mine');
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
    /^at,visitors\n\d{4}-.*Z,12\n$/,
  );
  expect((await run('history', 'footbridge', 'visitors', '--chart')).out).toContain('•');
  expect((await json<{ id: string }[]>('device', 'list')).map(({ id }) => id)).toEqual([
    'bog-hut',
    'footbridge',
  ]);
  expect((await run('device', 'arrivals', 'footbridge')).out).toContain('by hand');
  expect((await run('device', 'show', 'footbridge')).out).toContain('mosquitto_pub');
});

it('takes readings away and brings them back, step by step and as a whole', async () => {
  const file = path.join(folder, 'footbridge.csv');
  const start = Date.now() - 3 * 86_400_000;
  fs.writeFileSync(
    file,
    `at,visitors\n${Array.from({ length: 4100 }, (_, i) => `${start + i * 60_000},${i % 90}`).join('\n')}\nnever,1\n`,
  );
  const tried = await run('import', 'footbridge', file, '--try');
  expect(tried).toMatchObject({
    code: 0,
    out: expect.stringContaining('4101 rows: 4100 values would be taken'),
  });
  expect(tried.out).toMatch(/4102 +at +wrong-type/);
  expect((await run('import', 'footbridge', file)).out).toContain('4100 values are taken, 1 refused');
  expect((await run('import', 'footbridge', file)).out).toContain('4100 values are taken, 1 refused');
  const out = path.join(folder, 'out.csv');
  expect((await run('export', 'footbridge', '--out', out)).out).toContain('Saved ');
  // The hand-sent reading of the test before is there too.
  expect(fs.readFileSync(out, 'utf8').trim().split('\r\n')).toHaveLength(4102);
  const sheet = await run('export', 'footbridge', '--format', 'sheet', '--last', '2h', '--zone', 'UTC');
  expect(sheet.out).toMatch(/^date,time,offset,Visitors\r\n\d{4}-\d\d-\d\d,/);
  const days = await run(
    'history',
    'footbridge',
    'visitors',
    '--last',
    '4d',
    '--step',
    'day',
    '--zone',
    'UTC',
  );
  expect(days.out).toMatch(/^day +count +least +mean +greatest +last +sum\n/);
  expect(days.out).toMatch(/\n\d{4}-\d\d-\d\d +1440 +0 +[\d.]+ +89 /);
  expect((await run('history', 'footbridge', 'visitors', '--last', '4d', '--statistics')).out).toMatch(
    /4101 +0 +89/,
  );
  expect((await run('device', 'forget', 'footbridge', 'visitors')).out).toContain('4101 readings; add --yes');
  const to = new Date(start + 100 * 60_000).toISOString();
  expect((await run('device', 'forget', 'footbridge', 'visitors', '--to', to, '--yes')).out).toContain(
    '100 readings are deleted',
  );
  for (const [args, words] of [
    [['export', 'footbridge', '--format', 'xml'], 'is not a format'],
    [['import', 'footbridge', 'nowhere.csv'], 'no file'],
    [['history', 'footbridge', 'visitors', '--step', 'fortnight'], 'is not a step'],
    [['history', 'footbridge', 'visitors', '--rows', 'few'], '--rows is a whole number from 1 on; "few"'],
    [['history', 'footbridge', 'visitors', '--rows', '-3'], '--rows is a whole number'],
    [['rule', 'new', 'visitors', '--device', 'footbridge', '--above', 'many'], 'The limit is a number'],
    [['device', 'forget', 'footbridge', 'visitors', '--from', 'once'], 'is not a time'],
  ] as [string[], string][])
    expect(await run(...args)).toMatchObject({ code: 1, err: expect.stringContaining(words) });
  expect(await run('export', 'nobody')).toMatchObject({ code: 1, err: expect.stringContaining('no device') });
});

it('labels and places a device, registers one behind it, and takes refused messages again', async () => {
  const changed = await run(
    'device',
    'change',
    'footbridge',
    '--label',
    'moss',
    'north',
    '--place',
    '53.42,-1.86',
  );
  expect(changed.out).toBe('Footbridge\nlabels: moss, north\n53.42000, -1.86000\n');
  expect((await run('device', 'change', 'footbridge')).code).toBe(1);
  expect((await run('device', 'change', 'footbridge', '--place', 'here')).code).toBe(1);
  const sub = await run(
    'device',
    'new',
    'Well 7',
    '--gateway',
    'footbridge',
    '--serial',
    'a7',
    '--stream',
    'level:number',
  );
  expect(sub.code).toBe(0);
  expect(await json('device', 'show', 'well-7')).toMatchObject({ gateway: 'footbridge', serial: 'a7' });
  await run('report', 'footbridge', 'dogs=2');
  await run('kind', 'change', 'Footbridge', '--accept-new', 'on');
  expect((await run('device', 'retake', 'footbridge')).out).toMatch(
    /messages taken again: \d+ values accepted/,
  );
  expect((await run('kind', 'change', 'Footbridge', '--accept-new', 'off')).out).toContain(
    'new names are refused',
  );
  expect((await run('kind', 'change', 'Footbridge', '--accept-new', 'perhaps')).code).toBe(1);
  expect((await run('device', 'delete', 'well-7', '--yes')).code).toBe(0);
});

it('copies a kind, registers many devices from a list, and moves one', async () => {
  expect((await run('kind', 'copy', 'Footbridge', 'Long bridge')).out).toContain('Kind Long bridge');
  const list = path.join(folder, 'bridges.csv');
  const tokens = path.join(folder, 'tokens.csv');
  fs.writeFileSync(list, 'name,kind,labels\nBridge East,Long bridge,moss;east\nBridge West,long bridge,\n');
  expect((await run('device', 'new-many', list, '--out', tokens)).out).toContain('2 devices are registered');
  expect(fs.readFileSync(tokens, 'utf8')).toMatch(/^id,name,token\nbridge-east,Bridge East,moor\w{30}\n/);
  expect(fs.statSync(tokens).mode & 0o777).toBe(0o600);
  expect(await run('device', 'new-many', list, '--out', tokens)).toMatchObject({
    code: 1,
    err: expect.stringContaining('there already'),
  });
  fs.writeFileSync(list, 'name,kind\nBridge,Nothing\n');
  expect(await run('device', 'new-many', list, '--out', `${tokens}2`)).toMatchObject({
    code: 1,
    err: expect.stringContaining('there is no kind "Nothing"'),
  });
  await run('report', 'bridge-east', 'visitors=3');
  const told = await run('device', 'move', 'Footbridge', 'bridge-east');
  expect(told.out).toMatch(/1 device would be of the kind Footbridge.*visitors[\s\S]*Add --yes/);
  expect((await run('device', 'move', 'Footbridge', 'bridge-east', '--yes')).out).toContain(
    '1 device is of the kind',
  );
  expect(await json('device', 'show', 'bridge-east')).toMatchObject({
    kindTitle: 'Footbridge',
    labels: ['moss', 'east'],
  });
  for (const id of ['bridge-east', 'bridge-west']) await run('device', 'delete', id, '--yes');
  expect((await run('kind', 'delete', 'Long bridge')).code).toBe(0);
});

it('makes access keys for programs, and ends them', async () => {
  const made = await run(
    'key',
    'new',
    'spreadsheet',
    '--scope',
    'read-device',
    '--device',
    'footbridge',
    '--days',
    '30',
  );
  const address = /http\S+access_token\S+/.exec(made.out)![0];
  expect((await fetch(address)).status).toBe(200);
  expect((await run('key', 'list')).out).toMatch(/spreadsheet +\w{6} +read-device footbridge/);
  const keys = await json<{ id: number; title: string }[]>('key', 'list');
  const { id } = keys.find(({ title }) => title === 'spreadsheet')!;
  expect((await run('key', 'end', String(id))).out).toContain('no longer works');
  expect((await fetch(address)).status).toBe(401);
  expect((await run('key', 'new', 'x', '--scope', 'much')).code).toBe(1);
  expect((await run('key', 'new', 'x', '--scope', 'read-device')).code).toBe(1);
});

it('changes kinds and datastreams', async () => {
  expect((await run('kind', 'new', 'Sluice', '--stream', 'opening:number:%:0:100')).code).toBe(0);
  expect((await run('stream', 'new', 'Sluice', 'horn:boolean:control')).out).toContain('Added: horn');
  expect(
    (await run('stream', 'change', 'Sluice', 'opening', '--key', 'gate_opening', '--pin', '7')).code,
  ).toBe(0);
  expect((await run('stream', 'list', 'sluice')).out).toMatch(/gate_opening .* 7 .*opening/);
  expect((await run('kind', 'change', 'Sluice', '--interval', '30')).out).toContain('every 30 s');
  expect(await run('stream', 'change', 'Sluice', 'opening', '--min', '5')).toMatchObject({
    code: 1,
    err: expect.stringContaining('It has: gate_opening, horn'),
  });
  expect((await run('stream', 'delete', 'Sluice', 'horn', '--yes')).code).toBe(0);
  expect((await run('kind', 'delete', 'Sluice')).code).toBe(0);
});

it('looks back at texts, which have no chart', async () => {
  expect((await run('kind', 'new', 'Log', '--stream', 'note:text')).code).toBe(0);
  expect((await run('device', 'new', 'Log book', '--kind', 'Log')).code).toBe(0);
  for (const text of ['a heron, at "the" sluice', 'two herons'])
    expect((await run('report', 'log-book', `note=${text}`)).code).toBe(0);
  const look = (...more: string[]) => run('history', 'log-book', 'note', ...more);
  expect((await look()).out).toMatch(/measured +note\n.* a heron, at "the" sluice\n.* two herons\n/i);
  expect((await look('--rows', '1')).out).toMatch(/two herons\n… the newest 1; --rows gives more/);
  expect((await look('--csv')).out).toMatch(
    /^at,note\n\S+Z,"a heron, at ""the"" sluice"\n\S+Z,two herons\n$/,
  );
  expect(await look('--chart')).toMatchObject({ code: 1, err: expect.stringContaining('holds no numbers') });
  expect((await run('device', 'delete', 'log-book', '--yes')).code).toBe(0);
  expect((await run('kind', 'delete', 'Log')).code).toBe(0);
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
  const following = run('follow', 'footbridge', '--for', '10s');
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
  expect((await run('event', 'list')).out).toMatch(/Somebody came +\S+ \S+ +[1-9]\d* +[1-9]\d*/);
  expect((await run('event', 'acknowledge', String(event!.id))).out).toContain('acknowledged');
  expect((await run('rule', 'change', '1', '--off')).out).toContain('Switched off');
  expect((await run('rule', 'delete', '1')).code).toBe(0);
});

it('follow tells the end of what opened long before many others', async () => {
  const rule = (title: string, limit: number, closeLimit: number) =>
    person.client.call('createRule', {
      body: {
        title,
        deviceId: 'footbridge',
        stream: 'visitors',
        comparison: 'above',
        limit,
        closeLimit,
      } as never,
    });
  const rules = [await rule('A crowd', 100, 10), await rule('More than ever', 150, 145)];
  const start = Date.now() - 60_000;
  const report = (visitors: number, at: number) =>
    person.client.call('reportByHand', {
      params: { device: 'footbridge' },
      body: { values: { visitors, at } },
    });
  for (let n = 0; n < 56; n++) await report(n % 2 === 0 ? 160 : 140, start + n * 100);
  await until(
    async () => (await person.client.call('listEvents', { query: { state: 'closed' } })).length > 25,
  );
  const following = run('follow', 'footbridge', '--for', '5s');
  await until(
    async () => ((await (await fetch(`${service.url}/health`)).json()) as { pages: number }).pages === 1,
  );
  await report(0, Date.now());
  expect((await following).out).toMatch(/event closed \(warning\): A crowd/);
  for (const { id } of rules) await person.client.call('deleteRule', { params: { rule: id } });
});

it('tries a rule, says many sorts, mutes, shows what happened, and makes a certificate', async () => {
  const now = Date.now();
  for (const [ago, value] of [
    [50, 3],
    [40, 12],
    [30, 2],
    [20, 15],
  ] as const)
    await person.client.call('reportByHand', {
      params: { device: 'footbridge' },
      body: { values: { visitors: value, at: now - ago * 60_000 } },
    });
  const tried = await run(
    'rule',
    'try',
    'visitors',
    '--device',
    'footbridge',
    '--above',
    '10',
    '--last',
    '1h',
  );
  expect(tried.out).toMatch(
    /It would have opened 2 times in the last 1h, 10 min|It would have opened 2 times/,
  );
  expect(tried.out).toMatch(/footbridge .* 12 +12/);
  const made = await run(
    'rule',
    'new',
    'visitors',
    '--device',
    'footbridge',
    '--sum',
    '>20',
    '--within',
    '2h',
    '--person',
    'Warden',
    '--hours',
    'mon-sun 00:00-24:00',
    '--remind',
    '2h',
    '--set',
    'lamp=on',
  );
  expect(made).toMatchObject({ code: 1, err: expect.stringContaining('--hours is written like') });
  const right = await run(
    'rule',
    'new',
    'visitors',
    '--device',
    'footbridge',
    '--sum',
    '>20',
    '--within',
    '2h',
    '--person',
    'Warden',
    '--hours',
    'mon-sun 00:00-23:59',
    '--remind',
    '2h',
    '--set',
    'lamp=on',
    '--title',
    'Busy',
  );
  expect(right.out).toMatch(
    /the sum of Visitors of .* over 2 h is above 20.*, every day from 00:00 to 23:59; closes at 20 or below/i,
  );
  const id = /Rule (\d+)/.exec(right.out)![1]!;
  expect((await run('rule', 'show', id)).out).toMatch(
    /Alerts: Warden.*\n.*every 2 h.*\n.*lamp of the device is wanted to be on/s,
  );
  expect(
    (await run('rule', 'new', 'visitors', '--device', 'footbridge', '--above', '3', '--silent', '5min')).err,
  ).toContain('Say one condition');
  expect(
    (await run('rule', 'mute', '--device', 'footbridge', '--for', '2h', '--because', 'painting')).out,
  ).toContain('No alerts from the device footbridge');
  expect((await run('rule', 'mute')).out).toMatch(/device +footbridge .* painting/);
  expect((await run('rule', 'mute', '--device', 'footbridge', '--end')).out).toContain('alerts again');
  // In the last minute of a day it does not watch.
  const [event] = await until(
    async () => {
      expect((await run('report', 'footbridge', 'visitors=30')).code).toBe(0);
      const all = await json<{ id: number; title: string; alerts: unknown[] }[]>(
        'event',
        'list',
        '--text',
        'Busy',
      );
      return all.length > 0 && all[0]!.alerts.length > 0 && all;
    },
    'the event',
    90_000,
  );
  expect((await run('event', 'show', String(event!.id))).out).toMatch(
    /Busy \(warning, open\).*opened at.*Warden +email/s,
  );
  expect((await run('event', 'close', String(event!.id), '--remark', 'all went home')).out).toContain(
    'closed',
  );
  expect((await run('certificate')).out).toContain('There is none yet');
  expect((await run('certificate', '--make', '--name', 'moor.local')).out).toMatch(
    /For moor\.local; until .*Fingerprint.*\/trust/s,
  );
  expect((await run('rule', 'delete', id)).code).toBe(0);
});

it('says what must follow a control, sets it, and keeps set times and notes', async () => {
  const followed = await run(
    'stream',
    'change',
    'Footbridge',
    'lamp',
    '--follow',
    'visitors',
    '--level',
    'on=5..',
    '--within',
    '40s',
  );
  expect(followed).toMatchObject({ code: 0, out: expect.stringContaining('lamp is changed') });
  expect(
    await run('stream', 'change', 'Footbridge', 'lamp', '--follow', 'visitors', '--level', 'on'),
  ).toMatchObject({
    code: 1,
    err: expect.stringContaining('is not wanted=min..max'),
  });
  const newest = async () =>
    (await person.client.call('listCommands', { params: { device: 'footbridge' } }))[0];
  const before = (await newest())?.id;
  const setting = run('set', 'footbridge', 'lamp', 'on', '--wait', '20s');
  await until(async () => (await json<{ state: string }[]>('device', 'list')).length > 0);
  const { token } = await person.client
    .call('createToken', { params: { device: 'footbridge' }, body: {} })
    .then(({ secret }) => ({ token: secret }));
  const headers = { authorization: `Bearer ${token}`, 'content-type': 'application/json' };
  await until(async () => {
    await fetch(`${service.url}/device/wanted`, { headers });
    const command = await newest();
    // The one that is just being set, and none before.
    return command?.id !== before && command?.state === 'sent';
  });
  await fetch(`${service.url}/device/report`, { method: 'POST', headers, body: '{"visitors":6}' });
  expect(await setting).toMatchObject({ code: 0, out: expect.stringContaining('lamp on: confirmed') });
  const made = await run('timetable', 'new', 'footbridge', 'lamp', 'mon-fri 06:30=on', '22:00=off');
  expect(made).toMatchObject({
    code: 0,
    out: expect.stringMatching(/Timetable 1 is made. Next: (on|off) at /),
  });
  expect(await run('timetable', 'new', 'footbridge', 'lamp', '25:00=on')).toMatchObject({
    code: 1,
    err: expect.stringContaining('is not a set time'),
  });
  expect((await run('timetable', 'list', 'footbridge')).out).toContain(
    '06:30 Mon to Fri: on; 22:00 every day: off',
  );
  expect((await run('timetable', 'change', '1', '--off')).out).toContain('switched off');
  expect((await run('timetable', 'delete', '1')).code).toBe(0);
  expect((await run('note', 'new', 'footbridge', 'Boards replaced', '--at', '2026-03-01T10:00Z')).code).toBe(
    0,
  );
  expect((await run('note', 'list', 'footbridge')).out).toContain('Boards replaced');
  expect((await run('note', 'delete', '1')).code).toBe(0);
});

it('writes a starter, and leaves the files of the maker alone the second time', async () => {
  const out = path.join(folder, 'starter');
  const tokenOf = async () => (await json<{ secret: string }>('device', 'token', 'footbridge')).secret;
  const second = await tokenOf();
  expect(
    (await run('device', 'starter', 'footbridge', 'python', '--out', out, '--token', await tokenOf())).code,
  ).toBe(0);
  fs.appendFileSync(path.join(out, 'main.py'), '# mine\n');
  expect(
    (await run('device', 'starter', 'footbridge', 'python', '--out', out, '--token', second)).out,
  ).toContain('left as they are');
  expect(fs.readFileSync(path.join(out, 'main.py'), 'utf8')).toContain('# mine');
  expect(fs.readFileSync(path.join(out, 'settings.py'), 'utf8')).toContain(second);
});

it('every command has help with an example, and what is not a command exits with 2', async () => {
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
    'export',
    'import',
    'key',
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
    ['export'],
    ['import'],
    ['key', 'new'],
    ['device', 'forget'],
    ['device', 'retake'],
  ]) {
    const { code, out } = await run(...args, '--help');
    expect([args, code, /Examples?:\n {2}peatmoor/.test(out)]).toEqual([args, 0, true]);
  }
  for (const args of [
    ['history', 'footbridge', 'visitors', '--last', 'long'],
    ['device', 'starter', 'footbridge', 'basic'],
    ['rule', 'new', 'visitors'],
  ])
    expect([args, (await run(...args)).code]).toEqual([args, 1]);
  for (const args of [['nonsense'], ['set', 'footbridge']])
    expect([args, (await run(...args)).code]).toEqual([args, 2]);
});

it('signs out: the key is ended', async () => {
  expect((await run('sign-out')).out).toContain('Signed out');
  expect((await run('account')).code).toBe(1);
  expect(await person.client.call('listKeys')).toEqual([]);
});
