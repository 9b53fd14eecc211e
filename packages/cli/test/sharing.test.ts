import fs from 'node:fs';
import path from 'node:path';
import { createClient, type Client } from '@peatmoor/contract';
import { cliIn } from '../../../test/support/cli';
import {
  newDevice,
  newFolder,
  newPerson,
  post,
  sessionFetch,
  startService,
  type Person,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let person: Person;
let client: Client;
const folder = newFolder();
const file = path.join(folder, 'moss.yaml');
const NORTH = 'dipwell-north';

const run = cliIn(folder);
/** Changes the file as somebody would in an editor. */
const edit = (from: string | RegExp, to: string): void => {
  const text = fs.readFileSync(file, 'utf8');
  expect(text).toMatch(from);
  fs.writeFileSync(file, text.replace(from, to));
};

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  ({ client } = person);
  await newDevice(client);
  await client.call('createStarterDashboard', { params: { device: NORTH } });
  await run('sign-in', '--url', service.url, '--email', person.email, '--password', person.password);
});
afterAll(async () => {
  await service.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

it('writes the workspace as a file, says what a changed one would do, and applies it', async () => {
  expect(await run('workspace', 'export', file)).toMatchObject({
    code: 0,
    out: `Written to ${file}: 1 kind, 1 device, 1 dashboard.\n`,
  });
  expect(await run('workspace', 'plan', file, '--check')).toMatchObject({
    code: 0,
    out: 'Nothing to do: the workspace is as the file says.\n',
  });
  edit('max: 200', 'max: 300');
  edit('kind: Dipwell North kind', 'kind: Dipwell North kind\n    labels: [bog]');
  const plan = await run('workspace', 'plan', file, '--check');
  expect(plan.code).toBe(1);
  expect(plan.out).toContain(
    '~ datastream Dipwell North kind / level\n    max: 200 → 300\n~ device dipwell-north\n    labels: nothing → ["bog"]\n\n2 to change. Nothing was changed.',
  );
  expect((await run('workspace', 'plan', file, '--sentences')).out).toContain(
    'Changes the datastream level of Dipwell North kind: max from 200 to 300.',
  );
  expect(await run('workspace', 'apply', file)).toMatchObject({
    code: 0,
    out: expect.stringContaining('Done: 2 to change.'),
  });
  expect(await run('workspace', 'apply', file)).toMatchObject({
    code: 0,
    out: 'Nothing to do: the workspace is as the file says.\n',
  });
  expect((await client.call('readDevice', { params: { device: NORTH } })).labels).toEqual(['bog']);
});

it('says what is wrong in a file at its line and column, and does nothing', async () => {
  edit('type: number', 'type: numbr');
  const wrong = await run('workspace', 'apply', file);
  expect(wrong.code).toBe(1);
  expect(wrong.err).toMatch(/moss\.yaml:\d+:\d+: kinds\[0\]\.streams\[0\]\.type .*perhaps "number"/);
  edit('type: numbr', 'type: number');
  edit('kind: Dipwell North kind', 'kind: Dipwell');
  const line =
    fs
      .readFileSync(file, 'utf8')
      .split('\n')
      .findIndex((one) => one.includes('kind: Dipwell')) + 1;
  for (const act of ['plan', 'apply']) {
    const refused = await run('workspace', act, file);
    expect(refused.err).toContain(`moss.yaml:${line}:`);
    expect(refused.err).toContain('"Dipwell" is not a kind of this workspace or of the file');
  }
  expect(await run('workspace', 'plan', path.join(folder, 'nothing.yaml'))).toMatchObject({ code: 1 });
  edit('kind: Dipwell', 'kind: Dipwell North kind');
});

it('gives tokens of new devices once, and deletes only with --delete', async () => {
  fs.appendFileSync(file, '  # added by hand\n');
  edit(
    /devices:\n/,
    'devices:\n  - id: dipwell-east\n    name: Dipwell East\n    kind: Dipwell North kind\n',
  );
  const made = await run('workspace', 'apply', file);
  expect(made.out).toMatch(/Shown only now:\n {2}device dipwell-east {3}moor[0-9a-z]{30}/);
  edit(/ {2}- id: dipwell-east\n.*\n.*\n/, '');
  expect((await run('workspace', 'apply', file)).out).toContain(
    'Not in the file, and stays (--delete deletes it): device dipwell-east.',
  );
  expect((await run('workspace', 'apply', file, '--delete')).out).toContain(
    '- device dipwell-east  (0 readings go along)',
  );
  expect(await client.call('listDevices')).toHaveLength(1);
  expect((await run('workspace', 'export', '--kind', 'Dipwell North kind')).out).not.toContain('devices:');
});

it('shares, and says what is shared', async () => {
  expect(await run('share', 'new', 'Nothing')).toMatchObject({
    code: 1,
    err: expect.stringContaining('Say what to share'),
  });
  const tried = await run('share', 'new', 'Village', '--device', NORTH, '--back', '7d', '--try');
  expect(tried.out).toContain(
    'A visitor sees 3 datastreams of 1 device, 7 days back; no controls, no names of people.',
  );
  expect(tried.out).toContain('  Water level of Dipwell North');
  expect((await run('share', 'list')).out).toBe('Nothing is shared.\n');
  const made = await run(
    'share',
    'new',
    'Village',
    '--device',
    NORTH,
    '--ends',
    '7d',
    '--site',
    'https://moss.example',
  );
  const [address] = /http\S+\/shared\/[\w-]{22}/.exec(made.out)!;
  expect((await run('share', 'list')).out).toContain(address);
  const [link] = await client.call('listLinks');
  expect(await run('share', 'withdraw', String(link!.id))).toMatchObject({ code: 0 });
  expect((await run('share', 'list')).out).toBe('Nothing is shared.\n');
});

it('adds a class, grants, resets, and tells who changed what', async () => {
  const added = await run('people', 'add', '--uses', '2', '--days', '1');
  expect(added.out).toMatch(/2 people may join as viewer until .*\n.*\/join#/);
  const secret = added.out.trim().split('#')[1]!;
  await createClient({ baseUrl: service.url, fetch: sessionFetch() }).call('join', {
    body: { secret, name: 'Pupil', password: 'cotton grass and reeds' },
  });
  expect((await run('people', 'list')).out).toMatch(/Pupil .*pupil .*viewer/);
  const pupil = (await client.call('listPeople')).find(({ name }) => name === 'Pupil')!;
  expect(await run('people', 'grant', pupil.id)).toMatchObject({ code: 1 });
  expect((await run('people', 'grant', 'pupil', '--role', 'operator', '--device', NORTH)).out).toBe(
    'Pupil may look at and steer Dipwell North, and nothing else by this.\n',
  );
  expect((await run('people', 'grant', 'Nobody', '--device', NORTH)).err).toMatch(
    /"Nobody" is nobody of the workspace; there are .*Pupil/,
  );
  expect((await run('people', 'grants')).out).toContain('look and steer');
  const [grant] = await client.call('listGrants');
  expect(await run('people', 'ungrant', String(grant!.id))).toMatchObject({ code: 0, out: 'Taken back.\n' });
  expect((await run('people', 'reset', pupil.id)).out).toMatch(/Works once, until .*\n.*\/reset#/);
  const machine = await run('account', 'reset', 'pupil', '--data', service.dataFolder, '--url', service.url);
  expect(machine.out).toMatch(/\/reset#/);
  expect(await run('account', 'reset', 'pupil', '--data', folder, '--url', service.url)).toMatchObject({
    code: 1,
    err: expect.stringContaining('on the machine of the service'),
  });
  const changes = await run('changes', '--what', 'grant');
  expect(changes.out).toMatch(/Warden \(access key .*\) +took back +grant/);
});

it('hands a device over: offered, looked at, taken once, with its history; a withdrawn one does nothing', async () => {
  const { token } = await client.call('createDevice', {
    body: {
      name: 'Old well',
      newKind: { title: 'Old well', streams: [{ key: 'level', title: 'Level', type: 'number' }] },
    },
  });
  await post(
    service,
    token,
    [1, 2, 3].map((level, i) => ({ at: Date.now() - i * 1000, level })),
  );
  const linkOf = async (...more: string[]): Promise<string> =>
    (JSON.parse((await run('--json', 'device', 'offer', 'old-well', ...more)).out) as { link: string }).link;
  const withdrawn = await linkOf();
  expect((await run('device', 'withdraw-offer', 'old-well')).out).toContain('no longer offered');
  const other = await newPerson(service);
  const folderOfOther = newFolder();
  const take = cliIn(folderOfOther);
  await take('sign-in', '--url', service.url, '--email', other.email, '--password', other.password);
  expect(await take('device', 'take', withdrawn, '--yes')).toMatchObject({ code: 1 });
  expect(await take('device', 'take', 'http://nothing')).toMatchObject({
    code: 1,
    err: expect.stringContaining('behind # is missing'),
  });
  const link = await linkOf('--new-token');
  expect((await take('device', 'take', link)).out).toMatch(
    /Old well \(Old well\) of .*, with 3 readings\.\nIts board needs a new token/,
  );
  expect((await take('device', 'list')).out).not.toContain('old-well');
  expect((await take('device', 'take', link, '--yes')).out).toMatch(
    /Old well is here, as old-well\.[^]*moor[0-9a-z]{30}/,
  );
  expect((await take('device', 'take', link, '--yes')).code).toBe(1);
  expect((await run('device', 'show', 'old-well')).code).toBe(1);
  expect((await post(service, token, { level: 4 })).status).toBe(401);
  fs.rmSync(folderOfOther, { recursive: true, force: true });
});
