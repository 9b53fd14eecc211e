import { createClient, endpoints, type Change, type Endpoint } from '@peatmoor/contract';
import { RECORDED } from '../src/api/recorded';
import {
  newDevice,
  newPerson,
  startService,
  type Person,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let person: Person;
const NORTH = 'dipwell-north';
const SECRET = 'never-written-down-4711';

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
});
afterAll(() => service.stop());

const list = (query: object = {}): Promise<Change[]> =>
  person.client.call('listChanges', { query: { limit: 500, ...query } });
const field = (change: Change | undefined, name: string) => change?.details.find((one) => one.field === name);

it('has an entry for every call that changes something', () => {
  const changing = Object.entries(endpoints as unknown as Record<string, Endpoint>)
    .filter(([, { method }]) => method !== 'GET')
    .map(([name]) => name);
  expect(Object.keys(RECORDED).sort()).toEqual(changing.sort());
});

it('keeps who changed what, from what to what, and nothing that is secret', async () => {
  const { client } = person;
  const { token } = await newDevice(client);
  await client.call('changeDevice', { params: { device: NORTH }, body: { notes: 'by the gate' } });
  const { kindId } = await client.call('readDevice', { params: { device: NORTH } });
  const kind = await client.call('readKind', { params: { kind: kindId } });
  const { id: _id, ...level } = kind.streams.find(({ key }) => key === 'level')!;
  await client.call('changeStream', {
    params: { kind: kindId, stream: 'level' },
    body: { ...level, max: 300 } as never,
  });
  await client.call('createCommand', { params: { device: NORTH }, body: { stream: 'pump', value: true } });
  await client.call('createWebhook', { body: { title: 'Bell', url: 'https://hook.example/x' } as never });
  const key = await client.call('createKey', { body: { title: 'spreadsheet' } });
  const link = await client.call('createLink', {
    body: { title: 'North', sort: 'device', deviceId: NORTH, passphrase: SECRET },
  });
  await client.call('changeLink', { params: { link: link.id }, body: { passphrase: `${SECRET}2` } });
  const added = await client.call('addPerson', { body: { name: 'Helper', role: 'viewer' } });
  const keyed = createClient({ baseUrl: service.url, headers: { authorization: `Bearer ${key.secret}` } });
  await keyed.call('changeDevice', { params: { device: NORTH }, body: { name: 'North by the gate' } });
  const all = await list();
  const text = JSON.stringify(all);
  const secrets = [SECRET, token, key.secret, link.address.split('/shared/')[1]!, added.link.split('#')[1]!];
  for (const secret of secrets) expect(text).not.toContain(secret);
  const [byKey] = all;
  expect([byKey!.who, byKey!.what, byKey!.act]).toEqual([
    'Warden (access key spreadsheet)',
    'device',
    'changed',
  ]);
  expect(field(byKey, 'name')).toEqual({ field: 'name', from: 'Dipwell North', to: 'North by the gate' });
  expect(byKey!.details).toHaveLength(1);
  const stream = all.find(({ what, act }) => what === 'datastream' && act === 'changed');
  expect([stream!.target, stream!.title, field(stream, 'max')]).toEqual([
    'level',
    'Water level',
    { field: 'max', from: 200, to: 300 },
  ]);
  const wanted = all.find(({ what }) => what === 'command');
  expect([field(wanted, 'stream')?.to, field(wanted, 'value')?.to]).toEqual(['pump', true]);
  expect((await list({ what: 'device', text: 'by the gate' })).map(({ act }) => act)).toContain('changed');
  expect((await list({ what: 'person' }))[0]).toMatchObject({ act: 'made', title: 'Helper' });
});

it('gathers the steps of arranging a dashboard, says what a deletion took, and nothing of what failed', async () => {
  const { client } = person;
  const made = await client.call('createDashboard', { body: { title: 'The moss' } });
  let { version } = made;
  for (const title of ['The mo', 'The m', 'The moor'])
    ({ version } = await client.call('changeDashboard', {
      params: { dashboard: made.id },
      body: { version, title, widgets: [] },
    }));
  const steps = (await list({ what: 'dashboard' })).filter(({ act }) => act === 'changed');
  expect(steps.map((one) => field(one, 'title'))).toEqual([
    { field: 'title', from: 'The moss', to: 'The moor' },
  ]);
  await client.call('deleteDashboard', { params: { dashboard: made.id } });
  const [gone] = await list({ what: 'dashboard' });
  expect([gone!.act, gone!.title, field(gone, 'title')]).toEqual([
    'deleted',
    'The moor',
    { field: 'title', from: 'The moor', to: null },
  ]);
  const before = (await list()).length;
  await expect(client.call('deleteDashboard', { params: { dashboard: made.id } })).rejects.toThrow(
    /dashboard/,
  );
  await client
    .call('tryRule', {
      body: {
        rule: { deviceId: NORTH, stream: 'level', comparison: 'above', limit: 1 } as never,
        from: 0,
        to: 1000,
      },
    })
    .catch(() => undefined);
  expect((await list()).length).toBe(before);
});

it('keeps what people wanted one by one, and what a program wants without end as one', async () => {
  const { client } = person;
  const { secret } = await client.call('createKey', { body: { title: 'pump program' } });
  const program = createClient({ baseUrl: service.url, headers: { authorization: `Bearer ${secret}` } });
  const want = (who: typeof client, value: boolean) =>
    who.call('createCommand', { params: { device: NORTH }, body: { stream: 'pump', value } });
  const count = async (): Promise<number> => (await list({ what: 'command' })).length;
  const before = await count();
  for (const value of [true, false]) await want(client, value);
  expect(await count()).toBe(before + 2);
  for (const value of [true, false, true, false]) await want(program, value);
  expect(await count()).toBe(before + 3);
  expect((await list({ what: 'command' }))[0]!.who).toBe('Warden (access key pump program)');
});

it('is of its workspace, for its owners', async () => {
  const stranger = await newPerson(service, 'Stranger');
  expect(await stranger.client.call('listChanges')).toEqual([]);
});
