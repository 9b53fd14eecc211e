import type { Client, Command, RuleIn, Stream } from '@peatmoor/contract';
import { createConnection, type Connection } from 'mariadb';
import type { MqttClient } from 'mqtt';
import {
  databaseOf,
  mqttAs,
  newPerson,
  post,
  startService,
  until,
  type TestService,
} from '../../../test/support/service';

// A control that runs for so long at most, and rests then.
let service: TestService;
let client: Client;
let token: string;
let board: MqttClient;
let records: Connection;
let kind: number;
const id = 'sluice-mill';
const told: string[] = [];

beforeAll(async () => {
  service = await startService();
  ({ client } = await newPerson(service));
  const made = await client.call('createDevice', {
    body: {
      id,
      name: 'Mill sluice',
      newKind: {
        title: 'Sluice',
        streams: [
          { key: 'level', title: 'Level', type: 'number', unit: 'mm', min: -500, max: 150 },
          {
            key: 'pump',
            title: 'Pump',
            type: 'boolean',
            direction: 'control',
            runAtMost: { value: 'on', mostS: 3, then: 'off', restS: 4 },
          },
          {
            key: 'fan',
            title: 'Fan',
            type: 'boolean',
            direction: 'both',
            runAtMost: { value: 'on', mostS: 3, then: 'off', restS: 60 },
          },
        ],
      },
    },
  } as never);
  ({ token } = made);
  kind = (await client.call('readDevice', { params: { device: id } })).kindId;
  records = await createConnection(databaseOf(service));
  board = await mqttAs(service, id, token);
  board.on('message', (topic, payload) => {
    const name = topic.split('/').at(-1)!;
    told.push(`${name}=${payload.toString()}`);
    board.publish(`moor/${id}/applied/${name}`, payload, { qos: 1 });
  });
  await board.subscribeAsync(`moor/${id}/wanted/#`, { qos: 1 });
});
afterAll(async () => {
  await records.end();
  await board.endAsync();
  await service.stop();
});

const want = (value: string, stream = 'pump'): Promise<Command> =>
  client.call('createCommand', { params: { device: id }, body: { stream, value } });
const newest = async (stream = 'pump'): Promise<Command> =>
  (await client.call('listCommands', { params: { device: id }, query: { stream } }))[0]!;
const isAt = (value: number, stream = 'pump'): Promise<Command> =>
  until(async () => {
    const one = await newest(stream);
    return one?.value === value ? one : undefined;
  }, `${stream} is wanted at ${value}`);
const problem = (call: Promise<unknown>): Promise<{ status: number; detail: string }> =>
  call.then(
    () => ({ status: 200, detail: '' }),
    (error: { problem: { status: number; detail: string } }) => error.problem,
  );
const rested = (): Promise<unknown> => records.query('DELETE FROM runs');

it('runs for as long as it may, goes where its kind says, and rests; the record says why', async () => {
  await want('on');
  const began = performance.now();
  await until(() => told.includes('pump=1'), 'the board is told');
  // Wanted once more it runs no longer.
  await want('on');
  const [state] = await client.call('listInterlocks', { params: { device: id } });
  expect(state).toMatchObject({ stream: 'pump', interlocks: [], restUntil: null });
  expect(state!.runUntil! - Date.now()).toBeLessThan(3100);
  const ended = await isAt(0);
  expect(performance.now() - began).toBeGreaterThan(2500);
  expect(ended.by).toBe('run at most 3 s');
  await until(() => told.at(-1) === 'pump=0', 'the board is told to end it');
  const refused = await problem(want('on'));
  expect(refused.status).toBe(409);
  expect(refused.detail).toMatch(/^Pump rests for \d s more: .*Wait until then/);
  expect((await client.call('listInterlocks', { params: { device: id } }))[0]!.restUntil).toBeGreaterThan(
    Date.now(),
  );
  // What it rests at may be wanted, and makes it rest no longer.
  await want('off');
  await until(async () => (await problem(want('on'))).status === 200, 'it may run again');
  // Whatever ends a run, it rests.
  await until(async () => (await newest()).state === 'applied', 'it runs');
  await want('off');
  expect((await problem(want('on'))).status).toBe(409);
  await rested();
});

it('goes before an interlock and its override: what holds it waits until it has rested', async () => {
  const rule = await client.call('createRule', {
    body: {
      title: 'Basin is full',
      deviceId: id,
      stream: 'level',
      comparison: 'above',
      limit: -100,
      actions: [{ on: 'while', stream: 'pump', value: 'on' }],
    } as RuleIn,
  });
  await post(service, token, { level: -300 });
  await post(service, token, { level: -50 });
  await isAt(1);
  const ended = await isAt(0);
  expect(ended.by).toBe('run at most 3 s');
  expect(
    await problem(
      client.call('overrideInterlocks', { params: { device: id }, body: { stream: 'pump', minutes: 5 } }),
    ),
  ).toMatchObject({ status: 200 });
  expect((await problem(want('on'))).detail).toMatch(/rests for/);
  await client.call('endOverride', { params: { device: id, stream: 'pump' } });
  const again = await isAt(1);
  expect(again.by).toMatch(/Basin is full/);
  expect(again.createdAt - ended.createdAt).toBeGreaterThan(3500);
  await client.call('deleteRule', { params: { rule: rule.id } });
  await want('off');
  await rested();
});

it('lets what a rule wanted meanwhile wait for the end of the rest', async () => {
  const rule = await client.call('createRule', {
    body: {
      title: 'Wants it on',
      deviceId: id,
      stream: 'level',
      comparison: 'above',
      limit: -100,
      actions: [{ on: 'opened', stream: 'pump', value: 'on' }],
    } as RuleIn,
  });
  await want('on');
  await until(async () => (await newest()).state === 'applied', 'it runs');
  await want('off');
  await post(service, token, { level: -300 });
  await post(service, token, { level: -50 });
  const late = await isAt(1);
  expect(late.by).toMatch(/Wants it on/);
  await client.call('deleteRule', { params: { rule: rule.id } });
  await want('off');
  await rested();
});

it('is known of a board that began by itself, and of one that ended it by itself', async () => {
  await post(service, token, { fan: 1 });
  const ended = await isAt(0, 'fan');
  expect(ended.by).toBe('run at most 3 s');
  expect((await problem(want('on', 'fan'))).status).toBe(409);
  await rested();
  // The board ends it by itself before its time: the wish ends all the same, so that a new link does not begin it anew.
  await post(service, token, { fan: 0 });
  await want('on', 'fan');
  await until(async () => (await newest('fan')).state === 'applied', 'it runs');
  await post(service, token, { fan: 0 });
  expect((await isAt(0, 'fan')).by).toBe('run at most 3 s');
  await rested();
});

it('is refused where it does not fit, with its field', async () => {
  const { streams } = await client.call('readKind', { params: { kind } });
  const change = (more: object): Promise<unknown> => {
    const { id: _id, ...pump } = streams.find(({ key }) => key === 'pump')! as Stream;
    return client.call('changeStream', {
      params: { kind, stream: 'pump' },
      body: { ...pump, ...more } as never,
    });
  };
  const fields = async (more: object): Promise<string[]> => {
    const { errors } = (await change(more).catch(
      (error: { problem: { errors: { field: string }[] } }) => error.problem,
    )) as { errors: { field: string }[] };
    return errors.map(({ field }) => field);
  };
  expect(await fields({ runAtMost: { value: 'purple', mostS: 3, then: 'off' } })).toEqual([
    'runAtMost.value',
  ]);
  expect(await fields({ runAtMost: { value: 'on', mostS: 3, then: 'on' } })).toEqual(['runAtMost.then']);
  expect(await fields({ runAtMost: { value: 'on', mostS: 0, then: 'off' } })).toEqual(['runAtMost.mostS']);
  expect(await fields({ withoutLink: { value: 'off', afterS: 3 } })).toEqual(['withoutLink.afterS']);
  expect(await fields({ withoutLink: { value: 'on', afterS: 60 } })).toEqual(['withoutLink.value']);
  // Taken away, it runs as long as somebody wants.
  await want('on');
  await change({ runAtMost: null });
  await new Promise((resolve) => setTimeout(resolve, 5500));
  expect((await newest()).value).toBe(1);
  expect(await records.query('SELECT * FROM runs WHERE runUntil IS NOT NULL')).toHaveLength(0);
});
