import type { Client } from '@peatmoor/contract';
import {
  DIPWELL,
  mqttAs,
  newPerson,
  post,
  startService,
  until,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let client: Client;
beforeAll(async () => {
  service = await startService();
  ({ client } = await newPerson(service));
});
afterAll(() => service.stop());

const problem = (promise: Promise<unknown>) =>
  promise.then(
    () => ({ status: 200, detail: '', errors: [] as { field: string; reason: string }[] }),
    (error: { problem: { status: number; detail: string; errors: { field: string; reason: string }[] } }) =>
      error.problem,
  );
const count = async (device: string, streams: string) => {
  const query = { streams, from: Date.now() - 600_000, to: Date.now() + 60_000 };
  return (await client.call('history', { params: { device }, query })).lines.map(({ times }) => times.length);
};

describe('a copied kind', () => {
  it('has the same datastreams and is a kind of its own', async () => {
    const kind = await client.call('createKind', {
      body: {
        ...DIPWELL,
        title: 'Original',
        notes: 'Tubes of oak.',
        acceptNew: true,
        streams: [
          ...DIPWELL.streams!,
          {
            key: 'gate',
            title: 'Gate',
            type: 'choice',
            choices: ['a', 'b'],
            aliases: ['tor'],
            boardPin: 'D4',
          },
        ],
      },
    });
    const copy = await client.call('copyKind', { params: { kind: kind.id }, body: { title: 'Copy' } });
    const plain = ({ streams }: typeof kind) => streams.map(({ id: _id, ...stream }) => stream);
    expect(plain(copy)).toEqual(plain(kind));
    expect(copy).toMatchObject({ title: 'Copy', notes: 'Tubes of oak.', acceptNew: true, devices: 0 });
    await client.call('deleteStream', { params: { kind: copy.id, stream: 'gate' } });
    expect((await client.call('readKind', { params: { kind: kind.id } })).streams).toHaveLength(5);
    const stranger = (await newPerson(service, 'Stranger')).client;
    expect(
      (await problem(stranger.call('copyKind', { params: { kind: kind.id }, body: { title: 'Mine' } })))
        .status,
    ).toBe(404);
  });
});

describe('moving devices to another kind', () => {
  it('tells first which history goes along and which is lost, then does it', async () => {
    const { device, token } = await client.call('createDevice', {
      body: { name: 'Mover', id: 'mover', newKind: { ...DIPWELL, title: 'Before' } },
    });
    await post(service, token, [
      { at: Date.now() - 3000, level: -1, temperature: 8 },
      { at: Date.now() - 2000, level: -2 },
    ]);
    await client.call('createCalibration', {
      params: { device: 'mover' },
      body: { stream: 'level', calibration: { form: 'linear', scale: 1, offset: 100 } },
    });
    await client.call('createCommand', {
      params: { device: 'mover' },
      body: { stream: 'pump', value: true },
    });
    const after = await client.call('createKind', {
      body: {
        title: 'After',
        streams: [
          { key: 'level', title: 'Level', type: 'number' },
          { key: 'temperature', title: 'Temperature', type: 'integer' },
          { key: 'pump', title: 'Pump', type: 'boolean', direction: 'control' },
        ],
      },
    });
    const move = (only: boolean) =>
      client.call('moveDevices', { params: { kind: after.id }, body: { devices: ['mover'], try: only } });
    const told = await move(true);
    expect(told.moved).toBe(1);
    expect(told.keeps.sort()).toEqual(['level', 'pump']);
    expect(told.loses).toEqual([{ device: 'mover', stream: 'temperature', readings: 1 }]);
    expect((await client.call('readDevice', { params: { device: 'mover' } })).kindId).toBe(device.kindId);
    expect(await move(false)).toEqual(told);
    expect((await client.call('readDevice', { params: { device: 'mover' } })).kindTitle).toBe('After');
    expect(await count('mover', 'level,temperature')).toEqual([2, 0]);
    expect((await client.call('listCommands', { params: { device: 'mover' } }))[0]).toMatchObject({
      stream: 'pump',
    });
    await post(service, token, { level: -3, temperature: 9 });
    expect(await count('mover', 'level,temperature')).toEqual([3, 1]);
    const newest = (await client.call('readDevice', { params: { device: 'mover' } })).newest;
    expect(newest.find(({ key }) => key === 'level')?.value).toBe(97);
    expect((await move(false)).moved).toBe(0);
  });

  it('refuses devices that are not there, and is bounded', async () => {
    const kind = await client.call('createKind', { body: { title: 'Empty' } });
    const move = (devices: string[]) =>
      problem(client.call('moveDevices', { params: { kind: kind.id }, body: { devices } }));
    expect((await move(['mover', 'nobody'])).errors[0]).toMatchObject({ field: 'devices' });
    expect((await client.call('readDevice', { params: { device: 'mover' } })).kindTitle).toBe('After');
    expect((await move([])).errors[0]).toMatchObject({ field: 'devices' });
    expect((await move(Array(1001).fill('mover') as string[])).errors[0]).toMatchObject({ field: 'devices' });
  });
});

describe('a change that would harm stored readings', () => {
  it('says how many devices and readings it would reach', async () => {
    const { device, token } = await client.call('createDevice', {
      body: { name: 'Counted', id: 'counted', newKind: { ...DIPWELL, title: 'Counted' } },
    });
    const effect = (stream: string) =>
      client.call('streamEffect', { params: { kind: device.kindId, stream } });
    expect(await effect('level')).toEqual({ devices: 0, readings: 0 });
    await post(service, token, [
      { at: Date.now() - 3000, level: 1 },
      { at: Date.now() - 2000, level: 2 },
    ]);
    await client.call('moveDevices', {
      params: { kind: device.kindId },
      body: { devices: ['counted'], try: true },
    });
    expect(await effect('level')).toEqual({ devices: 1, readings: 2 });
    expect((await problem(effect('nothing'))).status).toBe(404);
  });
});

describe('many devices at once', () => {
  it('come from a list, each with its token, labels and a free ID', async () => {
    const kind = await client.call('createKind', { body: { ...DIPWELL, title: 'Tube' } });
    const csv = `name,kind,labels,id\nTube 1,tube,moss;north,\nTube 1,${kind.id},,\n"Tube, the third",Tube,south,third-tube\n`;
    const made = await client.call('createDevices', { body: { csv } });
    expect(made.map(({ id, name }) => [id, name])).toEqual([
      ['tube-1', 'Tube 1'],
      ['tube-1-2', 'Tube 1'],
      ['third-tube', 'Tube, the third'],
    ]);
    for (const { token } of made) expect((await post(service, token, { level: -1 })).status).toBe(200);
    expect((await client.call('readDevice', { params: { device: 'tube-1' } })).labels).toEqual([
      'moss',
      'north',
    ]);
  });

  it.each([
    ['without the columns', 'title\nx', 'needs the columns name and kind'],
    ['with a kind that is not there', 'name,kind\nA,Tube\nB,Sieve', 'row 3: there is no kind "Sieve"'],
    ['with an empty name', 'name,kind\n,Tube', 'row 2: a name has 1 to 80 letters'],
    [
      'with an ID that cannot be',
      'name,kind,id\nA,Tube,Not An Id',
      'row 2: "Not An Id" cannot be a device ID',
    ],
    ['with an ID twice', 'name,kind,id\nA,Tube,same\nB,Tube,same', '"same" is used by another device'],
    ['with rows of another length', 'name,kind\nA', 'Row 2 has 1 cell, but the header has 2. Correct'],
    ['that is empty', ' ', 'header row'],
    ['that is too long', `name,kind\n${'A,Tube\n'.repeat(1001)}`, '1001 rows'],
  ])('a list %s makes none at all', async (_what, csv, words) => {
    const before = (await client.call('listDevices')).length;
    const { status, detail } = await problem(client.call('createDevices', { body: { csv } }));
    expect([status, detail]).toEqual([422, expect.stringContaining(words)]);
    expect((await client.call('listDevices')).length).toBe(before);
  });
});

describe('what a control is wanted to be from the start', () => {
  it('is told to a board before anybody wanted anything, over HTTP and MQTT, and gives way to a command', async () => {
    const { device, token } = await client.call('createDevice', {
      body: {
        name: 'Heated hut',
        newKind: {
          title: 'Heated hut',
          streams: [
            { key: 'heater', title: 'Heater', type: 'boolean', direction: 'control', defaultValue: 'on' },
            {
              key: 'aim',
              title: 'Aim',
              type: 'number',
              direction: 'control',
              min: 5,
              max: 25,
              defaultValue: '17.5',
            },
            { key: 'fan', title: 'Fan', type: 'boolean', direction: 'control' },
          ],
        },
      },
    });
    const wanted = async () =>
      (await fetch(`${service.url}/device/wanted`, { headers: { authorization: `Bearer ${token}` } })).json();
    expect(await wanted()).toEqual({ heater: 1, aim: 17.5, interval: 60 });
    const told: string[] = [];
    const board = await mqttAs(service, device.id, token);
    board.on('message', (topic, payload) => told.push(`${topic.split('/').at(-1)}=${payload.toString()}`));
    await board.subscribeAsync(`moor/${device.id}/wanted/#`, { qos: 1 });
    await until(
      () => told.includes('heater=1') && told.includes('aim=17.5'),
      'what is wanted from the start',
    );
    await client.call('createCommand', {
      params: { device: device.id },
      body: { stream: 'heater', value: false },
    });
    expect(await wanted()).toMatchObject({ heater: 0 });
    await board.endAsync(true);
  });

  it.each([
    [{ type: 'number', max: 25, defaultValue: '30' }, /is not taken/],
    [{ type: 'choice', choices: ['a', 'b'], defaultValue: 'c' }, /is not taken/],
    [{ type: 'boolean', direction: 'report', defaultValue: 'on' }, /only for what people control/],
  ] as const)('is refused where the datastream would not take it: %j', async (change, reason) => {
    const stream = { key: 'x', title: 'X', direction: 'control', ...change } as never;
    const outcome = await problem(client.call('createKind', { body: { title: 'Wrong', streams: [stream] } }));
    expect(outcome.errors[0]).toMatchObject({ field: 'streams[0].defaultValue' });
    expect(outcome.errors[0]!.reason).toMatch(reason);
  });

  it('says how many readings stand against another type', async () => {
    const { device, token } = await client.call('createDevice', {
      body: {
        name: 'Typed',
        newKind: { title: 'Typed', streams: [{ key: 'level', title: 'Level', type: 'number' }] },
      },
    });
    await post(service, token, { level: 1 });
    await post(service, token, { level: 2 });
    const change = client.call('changeStream', {
      params: { kind: device.kindId, stream: 'level' },
      body: { key: 'level', title: 'Level', type: 'text' },
    });
    expect((await problem(change)).detail).toMatch(/has 2 readings of type number on 1 device already/);
  });
});
