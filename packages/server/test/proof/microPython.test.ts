import {
  MODULES,
  PLAIN_STREAM,
  STARTERS,
  streamsOfModules,
  type Datastream,
  type StarterPlan,
} from '@peatmoor/core';
import type { Client } from '@peatmoor/contract';
import { startBoard, type Board } from '../../../../test/support/microPython';
import { newPerson, startService, until, type TestService } from '../../../../test/support/service';

let service: TestService;
let client: Client;
let cookie: string;
let board: Board | null = null;
beforeAll(async () => {
  service = await startService();
  const person = await newPerson(service);
  ({ client } = person);
  cookie = person.cookie();
});
afterEach(async () => {
  await board?.stop();
  board = null;
});
afterAll(() => service.stop());

/** Registers a device with these datastreams, and gives the plan of its program. */
async function planOf(name: string, streams: Datastream[], intervalS = 1): Promise<StarterPlan> {
  const made = await client.call('createDevice', {
    body: {
      name,
      id: name,
      newKind: { title: name, intervalS, streams: streams.map((one) => ({ ...one, unconfirmed: false })) },
    },
  });
  return {
    deviceId: name,
    deviceName: name,
    host: '127.0.0.1',
    mqttPort: Number(new URL(service.mqttUrl).port),
    httpUrl: service.url,
    token: made.token,
    intervalS,
    streams,
  };
}
const start = (plan: StarterPlan, change: (text: string) => string = (text) => text): Board =>
  startBoard(
    STARTERS.micropython
      .make({ ...plan, wifi: { name: 'moss', password: 'wet' } })
      .map((file) => ({ ...file, text: change(file.text) })),
  );
const newest = async (id: string): Promise<Record<string, unknown>> =>
  Object.fromEntries(
    (await client.call('readDevice', { params: { device: id } })).newest.map(({ key, value }) => [
      key,
      value,
    ]),
  );

const LEVEL: Datastream = { ...PLAIN_STREAM, key: 'level', title: 'Level', unit: 'mm', min: -800, max: 200 };
const PUMP: Datastream = { ...PLAIN_STREAM, key: 'pump', title: 'Pump', type: 'boolean', direction: 'both' };
const WORDS: Datastream = {
  ...PLAIN_STREAM,
  key: 'words',
  title: 'Words',
  type: 'text',
  direction: 'control',
};

it('takes the time from the service, obeys, goes on measuring while nobody is there, and brings it with its true times', async () => {
  const plan = await planOf('mp-board', [LEVEL, PUMP, WORDS]);
  board = start(plan);
  await until(() => board!.printed().includes('time: from the service'), 'the time', 20_000);
  expect(board.asked.clock![0]!.slice(0, 1)).toEqual([new Date().getUTCFullYear()]);
  await until(() => /arrived .*"n": 3/.test(board!.printed()), 'three reports', 20_000);
  for (const [stream, value] of [
    ['pump', true],
    ['words', 'wet, "very"'],
  ] as const) {
    const command = await client.call('createCommand', {
      params: { device: 'mp-board' },
      body: { stream, value },
    });
    await until(
      async () => (await client.call('readCommand', { params: { command: command.id } })).state === 'applied',
      `${stream} applied`,
    );
  }
  // What it was made to be is what it tells.
  await until(async () => (await newest('mp-board')).pump === 1, 'the pump as it is');
  const cut = Date.now();
  board.wifi = false;
  await until(() => /(\d+) waiting/.test(board!.printed()), 'a lost connection');
  await new Promise((resolve) => setTimeout(resolve, 6000));
  board.wifi = true;
  const back = Date.now();
  const readings = async () =>
    (
      await client.call('history', {
        params: { device: 'mp-board' },
        query: { streams: 'level', from: cut, to: back },
      })
    ).lines[0]!.times;
  await until(async () => (await readings()).length >= 5, 'what was measured meanwhile', 20_000).catch(
    (error: Error) =>
      Promise.reject(new Error(`${error.message}; it printed: ${board!.printed().slice(0, 1500)}`)),
  );
  expect(board.printed()).not.toContain('Traceback');
});

it('waits at first without a clock, and goes on when the service is not there at its start', async () => {
  const plan = await planOf('mp-late', [LEVEL]);
  board = start({ ...plan, mqttPort: 1, httpUrl: 'http://127.0.0.1:1' });
  await until(
    () => (board!.printed().match(/connection lost or refused/g) ?? []).length >= 2,
    'refusals',
    20_000,
  );
  expect(board.printed()).toContain('no time from the network yet');
  expect(board.ended).toBeUndefined();
});

it('asks for the Wi-Fi on a page of its own where it knows none, and keeps what a phone sends', async () => {
  const plan = await planOf('mp-setup', [LEVEL]);
  board = startBoard(STARTERS.micropython.make({ ...plan, wifi: undefined as never }));
  await until(
    () => board!.printed().includes('No Wi-Fi is known. Join the Wi-Fi board-000007'),
    'the access point',
  );
  const body = 'name=moss+hut&password=wet%2C+%22very%22+%C3%A9';
  board.phones.push(
    ['GET / HTTP/1.1\r\n\r\n'],
    ['nonsense'],
    ['POST / HTTP/1.1\r\nContent-Length: 9\r\n\r\nname=%zz%'],
    [`POST / HTTP/1.1\r\ncontent-length: ${body.length}\r\n`, `\r\n${body.slice(0, 10)}`, body.slice(10)],
  );
  await until(() => board!.asked.reset !== undefined, 'a restart', 20_000);
  expect(JSON.parse(board.asked.reset![0]![0] as string)).toEqual({
    name: 'moss hut',
    password: 'wet, "very" é',
  });
  const pages = (board.asked.answered ?? []).map(([page]) => page as string);
  expect(pages[0]!.match(/<input name=\w+/g)).toEqual(['<input name=name', '<input name=password']);
  expect(pages.at(-1)).toContain('Kept. The board starts again');
  expect(board.printed()).toContain('page:');
});

it('every part is read on a board: bytes of the data sheets come as their values', async () => {
  const streams = streamsOfModules(MODULES, 'UTC').filter(({ computation }) => computation === null);
  const plan = await planOf('mp-parts', streams, 3600);
  board = start(plan);
  board.says = {
    wire: [0x02, 0x8c, 0x01, 0x5f, 0xee],
    probes: { '[40, 1, 2, 3, 4, 5, 6, 7]': [0x91, 0x01, 0x4b, 0x46, 0x7f, 0xff, 0x0f, 0x10, 0x25] },
    spi: [0x06, 0x4c, 0x19, 0x00],
    echo: 10_000,
    serial: { 16: [0xff, 0x86, 0x02, 0x60, 0x47, 0, 0, 0, 0xd1] },
    i2c: {
      0x23: { any: [0x83, 0x90] },
      0x27: {},
      0x3c: {},
      0x40: { 1: [0x07, 0xd0], 2: [0x5d, 0x98] },
      0x5a: { 6: [0xad, 0x39, 0], 7: [0xf7, 0x3a, 0] },
      0x62: { any: [0x01, 0xf4, 0x33, 0x66, 0x67, 0xa2, 0x5e, 0xb9, 0x3c] },
      0x68: { 59: [0, 0, 0, 0, 0x40, 0x00] },
    },
  };
  await until(
    () => /arrived \{/.test(board!.printed()) || board!.ended !== undefined,
    'a report of all',
    60_000,
  );
  const values = await newest('mp-parts');
  const of = (part: string): unknown => values[streams.find((one) => one.part === part)!.key];
  expect({ ended: board.ended, refused: /REFUSED.*/.exec(board.printed())?.[0] }).toEqual({
    ended: undefined,
    refused: undefined,
  });
  for (const [part, value] of [
    ['climate-wire.humidity', 65.2],
    ['climate-wire.temperature', 35.1],
    ['temperature-probe', 25.0625],
    ['thermocouple.temperature', 100.75],
    ['infrared-thermometer.object', 28.75],
    ['infrared-thermometer.around', 22.15],
    ['light-lux', 28066.6667],
    ['carbon-serial', 608],
    ['carbon-i2c.carbon', 500],
    ['direct-power.voltage', 11.98],
    ['direct-power.current', 0.2],
    ['acceleration.z', 9.80665],
    ['echo-distance', 1716],
  ] as const)
    expect([part, of(part)]).toEqual([part, expect.closeTo(value, 3)]);
  // Nobody answers at 0x76: that is said, and the others are told all the same.
  expect(board.printed()).toMatch(/air_pressure: no answer from the part; check its wires/);
  expect(of('air-pressure.pressure')).toBeUndefined();
  // Every output does something, and says so.
  for (const { key, type, direction } of streams.filter((one) => one.direction === 'control')) {
    const value = { boolean: true, integer: 40, colour: '#2b5f6e', text: 'Moss 12 mm' }[type as string]!;
    const command = await client.call('createCommand', {
      params: { device: 'mp-parts' },
      body: { stream: key, value },
    });
    await until(
      async () => (await client.call('readCommand', { params: { command: command.id } })).state === 'applied',
      `${key} applied (${direction}); ${board.printed().slice(-400)}`,
    );
  }
  expect(board.asked.lights).toEqual([[0x2b, 0x5f, 0x6e]]);
  expect(board.asked.i2c!.filter(([address]) => address === 0x27).length).toBeGreaterThan(40);
});

describe('a new program', () => {
  let plan: StarterPlan;
  let kind: number;
  const files = () => STARTERS.micropython.make({ ...plan, wifi: { name: 'moss', password: 'wet' } });
  const states = async () => (await client.call('listRounds', { params: { kind } }))[0]!.devices;
  /** The program as the next version. */
  const next = (version: string): string =>
    files()
      .find(({ path }) => path === 'main.py')!
      .text.replaceAll('1.0.0', version);
  const give = async (version: string): Promise<void> => {
    const put = await fetch(`${service.url}/api/kinds/${kind}/firmware/${version}`, {
      method: 'PUT',
      headers: { cookie, origin: service.url, 'content-type': 'application/octet-stream' },
      body: next(version),
    });
    expect(put.status).toBe(201);
    await client.call('createRound', { params: { kind }, body: { version } });
  };

  beforeAll(async () => {
    plan = await planOf('mp-firmware', [LEVEL]);
    kind = (await client.call('readDevice', { params: { device: 'mp-firmware' } })).kindId;
    const { publicKey } = await client.call('readFirmwareKey', { params: { kind } });
    plan = { ...plan, firmwareKey: publicKey };
  });

  it('is fetched in parts, checked by sum and signature, started, and stays once it has reported', async () => {
    await give('2.0.0');
    board = startBoard(files());
    await until(() => board!.asked.reset !== undefined, 'a restart', 40_000).catch((error: Error) =>
      Promise.reject(new Error(`${error.message}; it printed: ${board!.printed().slice(0, 1500)}`)),
    );
    expect(board.printed()).toContain('program 2.0.0: fetched');
    expect(await states()).toMatchObject([{ state: 'fetched', bytes: next('2.0.0').length }]);
    await board.stop();
    // What was fetched starts.
    board = startBoard([
      ...files().map((file) => (file.path === 'main.py' ? { ...file, text: next('2.0.0') } : file)),
      { path: 'firmware.json', text: '{"version": "2.0.0", "starts": 1}', generated: false },
    ]);
    await until(
      () => board!.printed().includes('the new program stays'),
      'the report of the new one',
      20_000,
    );
    await until(async () => (await states())[0]!.state === 'confirmed', 'the service to know');
  });

  it('that is signed by another key is not started, and the service is told', async () => {
    await planOf('mp-other', [LEVEL]);
    const other = (await client.call('readDevice', { params: { device: 'mp-other' } })).kindId;
    const { publicKey } = await client.call('readFirmwareKey', { params: { kind: other } });
    await give('3.0.0');
    const right = plan;
    plan = { ...plan, firmwareKey: publicKey };
    board = startBoard(files());
    plan = right;
    await until(async () => (await states())[0]?.state === 'failed', 'the refusal', 40_000);
    expect(await states()).toMatchObject([{ note: 'the signature is wrong' }]);
    expect(board.asked.reset).toBeUndefined();
  });

  it('that does not report gives way to the one before it after three starts; broken files do no harm', async () => {
    const main = `import json
import firmware

for name, text in (("main.old", "before"), ("firmware.json", json.dumps({"version": "2", "starts": 0}))):
    with open(name, "w") as file:
        file.write(text)
for start in range(4):
    firmware.gives_way()
with open("main.py") as file:
    print("runs", file.read(), firmware.exists("main.old"), firmware.exists("firmware.json"))
firmware.gives_way()
with open("firmware.json", "w") as file:
    file.write("no JSON")
firmware.gives_way()
digest = bytes(32)
for sign in (b"", b"0", bytes(80), b"\\x30\\x06\\x02\\x01\\x00\\x02\\x01\\x00"):
    print("signed", firmware.is_signed(digest, sign, firmware.G))
answers = [(200, b'{"version": "9", "size": 10, "sha256": "00", "signature": "00"}'), (206, b"12345"), (500, b""), (200, b"{}")]
print("looked", firmware.look("1", lambda *call: answers.pop(0)), len(answers))
`;
    board = startBoard(files().map((file) => (file.path === 'main.py' ? { ...file, text: main } : file)));
    await until(() => board!.ended !== undefined, 'its end', 20_000);
    expect(board.ended).toBeNull();
    expect(board.printed()).toContain('runs before False False');
    expect(board.printed().match(/signed False/g)).toHaveLength(4);
    expect(board.printed()).toContain('program 9: it was cut off');
    expect(board.printed()).toContain('looked False 0');
  });
});
