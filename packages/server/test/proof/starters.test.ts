import { execFileSync, spawn } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import {
  MODULES,
  PLAIN_STREAM,
  STARTERS,
  streamsOfModules,
  type Datastream,
  type StarterPlan,
} from '@peatmoor/core';
import type { Client } from '@peatmoor/contract';
import { runProgram } from '../../../../test/support/starter';
import {
  newDevice,
  newFolder,
  newPerson,
  startService,
  until,
  type TestService,
} from '../../../../test/support/service';

let service: TestService;
let client: Client;
let plan: StarterPlan;
let kindId: number;
const folder = newFolder();

function write(sort: keyof typeof STARTERS, streams = plan.streams, more: Partial<StarterPlan> = {}): string {
  const target = path.join(folder, more.claim === undefined ? sort : `${sort}-claim`);
  for (const file of STARTERS[sort].make({ ...plan, streams, ...more })) {
    fs.mkdirSync(path.dirname(path.join(target, file.path)), { recursive: true });
    fs.writeFileSync(path.join(target, file.path), file.text);
  }
  return target;
}

beforeAll(async () => {
  service = await startService();
  ({ client } = await newPerson(service));
  const { device, token } = await newDevice(client);
  const kind = await client.call('changeKind', { params: { kind: device.kindId }, body: { intervalS: 1 } });
  kindId = device.kindId;
  plan = {
    deviceId: device.id,
    deviceName: device.name,
    host: '127.0.0.1',
    mqttPort: Number(new URL(service.mqttUrl).port),
    httpUrl: service.url,
    token,
    intervalS: 60,
    streams: kind.streams,
  };
});
afterAll(async () => {
  await service.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

it('the Python starter reports, obeys interval and wanted values, prints refusals, and goes on after a cut', async () => {
  const target = write('python');
  const main = path.join(target, 'main.py');
  // One made-up sensor of the maker sends a name that the kind does not know.
  fs.writeFileSync(
    main,
    fs.readFileSync(main, 'utf8').replace('SENSORS = {', 'SENSORS = {"levl": lambda: 1, '),
  );
  const child = spawn('/usr/bin/python3', [main], { stdio: ['ignore', 'pipe', 'pipe'] });
  const ended = new Promise((resolve) => child.once('close', resolve));
  let output = '';
  child.stdout.on('data', (part: Buffer) => (output += part.toString()));
  child.stderr.on('data', (part: Buffer) => (output += part.toString()));
  try {
    await until(() => output.includes('MQTT: connected as dipwell-north'), 'the connection', 20_000);
    await until(() => output.includes('wanted interval = 1, applied'), 'the interval');
    await until(() => /#3 arrived/.test(output), 'three reports in the shorter interval');
    expect(output).toMatch(/REFUSED .*unknown-name.*nearest is .*level/);
    const command = await client.call('createCommand', {
      params: { device: plan.deviceId },
      body: { stream: 'pump', value: true },
    });
    await until(
      async () => (await client.call('readCommand', { params: { command: command.id } })).state === 'applied',
      'applied',
    );
    expect(output).toContain('pump -> 1.0');
    const arrivals = await client.call('listArrivals', { params: { device: plan.deviceId } });
    expect(arrivals.some(({ number, acceptedCount }) => number !== null && acceptedCount > 0)).toBe(true);
    await service.restart();
    const before = output.length;
    await until(() => /#\d+ arrived/.test(output.slice(before)), 'reports after the cut', 30_000).catch(
      (error: Error) => Promise.reject(new Error(`${error.message}; it printed: ${output.slice(-1500)}`)),
    );
  } finally {
    child.kill('SIGTERM');
    await ended;
  }
});

it('a small computer reads its kernel the same in Python, Node and shell, each part from a file of its own', () => {
  const root = path.join(folder, 'kernel');
  const says = (file: string, text: string): void => {
    fs.mkdirSync(path.dirname(path.join(root, file)), { recursive: true });
    fs.writeFileSync(path.join(root, file), text);
  };
  says('sys/bus/iio/devices/iio:device0/in_temp_input', '21500\n');
  says('sys/bus/iio/devices/iio:device1/in_temp_input', '19250\n');
  says('sys/bus/iio/devices/iio:device1/in_pressure_input', '101.325\n');
  says('sys/bus/iio/devices/iio:device2/in_temp_object_raw', '15095\n');
  says('sys/bus/iio/devices/iio:device3/in_illuminance_raw', '33680\n');
  says('sys/bus/w1/devices/28-0001/temperature', '25062\n');
  says('sys/bus/w1/devices/28-0002/temperature', '85000\n');
  const chosen = [
    'climate-wire',
    'air-pressure',
    'infrared-thermometer',
    'light-lux',
    'temperature-probe',
    'temperature-probe',
  ];
  const streams = streamsOfModules(
    chosen.map((key) => MODULES.find((one) => one.key === key)!),
    'UTC',
  );
  const keys = streams.map(({ key }) => key);
  const inRoot = (text: string): string => text.replaceAll('/sys/', `${root}/sys/`);
  const python = inRoot(fs.readFileSync(path.join(write('python', streams), 'main.py'), 'utf8'))
    .replace(/^import paho.*$/m, '')
    .replace(/\nif __name__[^]*$/, '\nprint(json.dumps({name: read() for name, read in SENSORS.items()}))\n');
  const target = write('python', streams);
  fs.writeFileSync(
    path.join(target, 'main.py'),
    python.replace(/^def on_connect[^]*?(?=^def measured)/m, ''),
  );
  const last = (text: string): string => text.trim().split('\n').at(-1)!;
  const byPython = JSON.parse(
    last(execFileSync('python3', ['main.py'], { cwd: target, encoding: 'utf8' })),
  ) as Record<string, number | null>;
  const node = inRoot(fs.readFileSync(path.join(write('node', streams), 'main.mjs'), 'utf8'));
  const functions = node.slice(node.indexOf('const sensors'), node.indexOf('const WAITING_FILE'));
  const byNode = JSON.parse(
    last(
      execFileSync(process.execPath, ['--input-type=module', '-'], {
        encoding: 'utf8',
        input: `import fs from 'node:fs';\n${functions}\nconsole.log(JSON.stringify(Object.fromEntries(Object.entries(sensors).map(([name, read]) => [name, read()]))));`,
      }),
    ),
  ) as Record<string, number | null>;
  const shell = inRoot(fs.readFileSync(path.join(write('shell', streams), 'report.sh'), 'utf8'));
  const lines = shell.slice(shell.indexOf('kernel() {'), shell.indexOf('measure() {'));
  const byShell = execFileSync(
    'sh',
    ['-c', `${lines}\nfor key in ${keys.join(' ')}; do echo "$key $(read_$key 2>/dev/null)"; done`],
    { encoding: 'utf8' },
  );
  const wanted = {
    temperature: 21.5,
    temperature_2: 19.25,
    air_pressure: 1013.25,
    temperature_of_the_surface: 28.75,
    light: 28066.667,
    temperature_3: 25.062,
  };
  for (const [key, value] of Object.entries(wanted)) {
    const said = Number(new RegExp(`^${key} (\\S+)$`, 'm').exec(byShell)?.[1]);
    for (const one of [byPython[key], byNode[key], said])
      expect([key, one]).toEqual([key, expect.closeTo(value, 2)]);
  }
  // What no driver says is nothing; in Python the probe that holds 85 °C is told to be loose.
  expect([byPython.humidity, byNode.humidity, byPython.temperature_4]).toEqual([null, null, null]);
});

/** Runs a starter program and gives what it prints; ended by stop(). */
const readings = async () =>
  (
    await client.call('history', {
      params: { device: plan.deviceId },
      query: { streams: 'level', from: Date.now() - 600_000, to: Date.now() + 1000 },
    })
  ).lines[0]!.times;

it('the Node starter reports, obeys, speaks for what is behind it, and brings what waited through a cut', async () => {
  const target = write('node');
  await client.call('createDevice', {
    body: {
      name: 'Well 7',
      id: 'well-7',
      gateway: plan.deviceId,
      newKind: { title: 'Well', acceptNew: true },
    },
  });
  const main = path.join(target, 'main.mjs');
  fs.writeFileSync(
    main,
    fs
      .readFileSync(main, 'utf8')
      .replace('const behind = {}', 'const behind = { "well-7": { depth: () => 3 } }')
      .replace('const sensors = {', 'const sensors = { levl: () => 1,'),
  );
  const program = runProgram(process.execPath, [main]);
  try {
    await until(() => program.output().includes('wanted interval = 1, applied'), 'the interval', 20_000);
    await until(() => /#3 arrived/.test(program.output()), 'three reports');
    expect(program.output()).toMatch(/REFUSED levl unknown-name: .*nearest is .*level/);
    expect((await client.call('readDevice', { params: { device: 'well-7' } })).newest).toMatchObject([
      { key: 'depth', value: 3 },
    ]);
    const command = await client.call('createCommand', {
      params: { device: plan.deviceId },
      body: { stream: 'pump', value: true },
    });
    await until(
      async () => (await client.call('readCommand', { params: { command: command.id } })).state === 'applied',
      'applied',
      60_000,
    );
    const before = (await readings()).length;
    const cut = Date.now();
    await service.program.kill();
    await until(() => /#\d+ waits \(\d+ in all\)/.test(program.output()), 'messages that wait', 20_000);
    expect(fs.existsSync(path.join(target, 'waiting.json'))).toBe(true);
    await service.restart(false).catch(() => service.restart());
    await until(async () => (await readings()).length > before + 2, 'what waited', 30_000);
    await until(async () => (await readings()).some((at) => at > cut && at < cut + 4000), 'its true times');
  } finally {
    await program.stop();
  }
});

it('the shell starter reports with curl, hides its token, prints refusals, and keeps what could not be sent', async () => {
  const target = write('shell');
  const file = path.join(target, 'report.sh');
  fs.writeFileSync(
    file,
    fs.readFileSync(file, 'utf8').replace(/read_level\(\) \{ echo [^;]+;/, 'read_level() { echo -77;'),
  );
  const program = runProgram('/bin/sh', [file]);
  try {
    await until(() => program.output().includes('wanted interval = 1, applied'), 'the interval', 20_000);
    await until(() => (program.output().match(/arrived/g) ?? []).length >= 3, 'three reports');
    const device = await client.call('readDevice', { params: { device: plan.deviceId } });
    expect(device.newest.find(({ key }) => key === 'level')?.value).toBe(-77);
    const running = execFileSync('ps', ['-eo', 'args'], { encoding: 'utf8' });
    expect(running).not.toContain(plan.token!);
    await service.program.kill();
    await until(() => program.output().includes('waits:'), 'a message that waits', 20_000);
    expect(fs.readFileSync(path.join(target, 'waiting.txt'), 'utf8')).toContain('-77');
    await service.restart(false).catch(() => service.restart());
    const before = program.output().length;
    await until(() => program.output().slice(before).includes('arrived'), 'reports after the cut', 30_000);
  } finally {
    await program.stop();
  }
});

/** Datastreams for every part there is, on one board of very many pins. */
const everyPart = streamsOfModules(MODULES, 'UTC');
/** One of every type and direction. */
const everyType: Datastream[] = (['report', 'control', 'both'] as const).flatMap((direction) =>
  (['number', 'integer', 'boolean', 'choice', 'text', 'colour', 'location', 'image'] as const)
    .filter((type) => direction === 'report' || (type !== 'location' && type !== 'image'))
    .map((type) => ({
      ...PLAIN_STREAM,
      key: `${type}_${direction}`,
      title: `${type}, ${direction}`,
      type,
      direction,
      choices: type === 'choice' ? ['shut', 'half "open"'] : [],
      holds: direction === 'control' && type === 'integer' ? ('momentary' as const) : ('lasting' as const),
    })),
);
const SETS = {
  'made-up sensors': () => plan.streams,
  'every part': () => everyPart,
  'every type': () => everyType,
};

it.each(
  (['micropython', 'python'] as const).flatMap((sort) =>
    (['every part', 'every type'] as const).map((set) => [sort, set] as const),
  ),
)('the %s starter with %s is whole Python', (sort, set) => {
  const target = write(sort, SETS[set]());
  for (const file of ['main.py', 'settings.py'])
    execFileSync('python3', ['-m', 'py_compile', path.join(target, file)]);
  // No name is used that is not there: everything but what a board or library brings.
  const looked = execFileSync(
    'python3',
    [path.join(__dirname, '../boardHeaders/names.py'), path.join(target, 'main.py')],
    { encoding: 'utf8' },
  );
  expect(looked).toBe('');
});

it.each(['every part', 'every type'] as const)(
  'the Node and shell starters with %s are whole programs',
  (set) => {
    execFileSync(process.execPath, ['--check', path.join(write('node', SETS[set]()), 'main.mjs')]);
    execFileSync('/bin/sh', ['-n', path.join(write('shell', SETS[set]()), 'report.sh')]);
  },
);

it.each(
  (['cpp', 'cpp-http', 'cpp-cellular'] as const).flatMap((sort) =>
    (Object.keys(SETS) as (keyof typeof SETS)[]).map((set) => [sort, set] as const),
  ),
)(
  'the %s starter with %s compiles without a warning against stand-ins of the board headers',
  (sort, parts) => {
    const target = write(sort, SETS[parts]());
    const headers = path.join(__dirname, '../boardHeaders');
    const out = path.join(folder, `${sort}.o`);
    const compiled = execFileSync(
      'g++',
      [
        '-std=c++17',
        '-Wall',
        '-Wextra',
        '-Werror',
        '-Wno-unused-parameter',
        `-I${headers}`,
        '-c',
        path.join(target, 'src/main.cpp'),
        '-o',
        out,
      ],
      { encoding: 'utf8' },
    );
    expect(compiled).toBe('');
    expect(fs.existsSync(out)).toBe(true);
  },
);

it.each(['python', 'node', 'shell'] as const)(
  'the %s starter with a claim fetches its own device, once, and reports',
  async (sort) => {
    const { secret } = await client.call('createClaim', { params: { kind: kindId }, body: {} });
    const target = write(sort, plan.streams, { claim: { secret }, token: null });
    const [command, file] = {
      python: ['/usr/bin/python3', 'main.py'],
      node: [process.execPath, 'main.mjs'],
      shell: ['/bin/sh', 'report.sh'],
    }[sort] as [string, string];
    const claimed = async () => {
      const [claim] = await client.call('listClaims', { params: { kind: kindId } });
      return claim!.devices;
    };
    for (const time of ['first', 'second']) {
      const program = runProgram(command, [path.join(target, file)]);
      try {
        await until(() => /arrived/.test(program.output()), `the ${time} report`, 30_000).catch(
          (error: Error) =>
            Promise.reject(new Error(`${error.message}; it printed: ${program.output().slice(-800)}`)),
        );
      } finally {
        await program.stop();
      }
    }
    const devices = await claimed();
    expect(devices).toHaveLength(1);
    const device = await client.call('readDevice', { params: { device: devices[0]!.id } });
    expect(device.proof.firstReadingAt).not.toBeNull();
    expect(fs.statSync(path.join(target, 'device.json')).mode & 0o077).toBe(0);
  },
);

it.each([
  ['cpp', 'MQTT'],
  ['cpp-http', 'HTTP'],
  ['cpp-cellular', 'modem'],
] as ['cpp' | 'cpp-http' | 'cpp-cellular', string][])(
  'the %s program, run on this computer, keeps what it measures while the network is away, and brings it in order',
  (sort, claims) => {
    const target = write(sort, plan.streams, claims === '' ? {} : { claim: { secret: 'claim_made_up' } });
    const program = path.join(folder, `${sort}-run`);
    const headers = path.join(__dirname, '../boardHeaders');
    const main = path.join(target, 'src/main.cpp');
    execFileSync('g++', [
      '-std=c++17',
      `-I${headers}`,
      `-DMAIN="${main}"`,
      path.join(headers, 'drive.cpp'),
      '-o',
      program,
    ]);
    const printed = execFileSync(program, { encoding: 'utf8' });
    const arrived = [...printed.matchAll(/^arrived \{"n":(\d+),"at":(\d{13}),/gm)].map(([, n]) => Number(n));
    expect(arrived).toEqual(arrived.map((_, i) => i + 1));
    expect(arrived.length).toBe(12);
    if (claims !== '') expect(printed.match(/This board is claimed-7/g)).toHaveLength(1);
    expect(printed).toMatch(/waiting: \{"n"|not reached|no network yet|no connection yet/);
  },
);

it.each(['cpp', 'cpp-http'] as const)(
  'the %s program without a Wi-Fi asks for it on a page of its own, and goes on measuring',
  (sort) => {
    const target = write(sort, plan.streams);
    const program = path.join(folder, `${sort}-own`);
    const headers = path.join(__dirname, '../boardHeaders');
    execFileSync('g++', [
      '-std=c++17',
      `-I${headers}`,
      `-DMAIN="${path.join(target, 'src/main.cpp')}"`,
      path.join(headers, 'ownWifi.cpp'),
      '-o',
      program,
    ]);
    const printed = execFileSync(program, { encoding: 'utf8' });
    expect(printed).toContain('access point board-000007');
    expect(printed).toContain('No Wi-Fi is known. Join the Wi-Fi board-000007');
    expect(printed).toContain('restarts 1, kept "moss hut" "wet, "very""');
    // Asked once, then answered; the page asks for nothing else.
    expect(printed.match(/<input name=(\w+)/g)).toEqual(['<input name=name', '<input name=password']);
    expect(printed).toContain('Kept. The board starts again');
  },
);

it('the C++ program reads what parts on its pins say, drops what looks like a loose wire, and says so', () => {
  const chosen = [
    'light-lux',
    'carbon-i2c',
    'carbon-serial',
    'position',
    'air-pressure',
    'character-display',
    'thermistor',
  ];
  const streams = streamsOfModules(
    MODULES.filter(({ key }) => chosen.includes(key)),
    'UTC',
  );
  const target = write('cpp', streams);
  const program = path.join(folder, 'parts-run');
  const headers = path.join(__dirname, '../boardHeaders');
  execFileSync('g++', [
    '-std=c++17',
    `-I${headers}`,
    `-DMAIN="${path.join(target, 'src/main.cpp')}"`,
    path.join(headers, 'parts.cpp'),
    '-o',
    program,
  ]);
  const printed = execFileSync(program, { encoding: 'utf8' });
  const report = JSON.parse(/^arrived (.*)$/m.exec(printed)![1]!) as Record<string, unknown>;
  const of = (part: string): unknown => report[streams.find((one) => one.part === part)!.key];
  expect(of('light-lux')).toBeCloseTo(28066.667, 2);
  expect(of('carbon-i2c.carbon')).toBe(500);
  expect(of('carbon-i2c.temperature')).toBeCloseTo(25, 1);
  expect(of('carbon-serial')).toBe(608);
  expect(of('position')).toBe('48.117300,11.516667');
  // Nobody answers at the address of the one; the other has its pin at the end of the scale.
  expect(of('air-pressure.pressure')).toBeUndefined();
  expect(printed).toMatch(/air_pressure: no answer from the part; check its wires/);
  expect(of('thermistor')).toBeUndefined();
  expect(printed).toMatch(/temperature: this looks like a loose wire/);
  expect(printed).toMatch(/clock 1, display was told [1-9]\d+ bytes, serial 9/);
});

it.each(['cpp', 'cpp-http'] as const)(
  'the %s program fetches a new one, starts it only where sum and signature are right, and gives way where it is silent',
  (sort) => {
    const firmwareKey = '-----BEGIN PUBLIC KEY-----\nMFkw\n-----END PUBLIC KEY-----\n';
    const target = write(sort, plan.streams, { firmwareKey });
    const program = path.join(folder, `${sort}-firmware`);
    const headers = path.join(__dirname, '../boardHeaders');
    execFileSync('g++', [
      ...['-std=c++17', '-Wall', '-Wextra', '-Werror', '-Wno-unused-parameter', `-I${headers}`],
      ...[`-DMAIN="${path.join(target, 'src/main.cpp')}"`, path.join(headers, 'firmware.cpp'), '-o', program],
    ]);
    expect(fs.readFileSync(program).includes('moor-firmware:1.0.0:')).toBe(true);
    const days = execFileSync(program, { encoding: 'utf8' }).split('== ');
    const day = (name: string): string => days.find((one) => one.startsWith(`${name}\n`))!;
    expect(day('silent')).toContain('program gives way');
    expect(day('right')).toMatch(
      /program stays[^]*fetching program 2\.0\.0[^]*written 10000 bytes[^]*"state":"fetched"/,
    );
    expect(day('right')).toMatch(/restarts [1-9]/);
    for (const [name, reason] of [
      ['sum', 'the sum is wrong'],
      ['unsigned', 'the signature is wrong'],
      ['cut', 'it was cut off'],
    ] as const) {
      expect(day(name)).toContain(`"state":"failed","reason":"${reason}"`);
      expect(day(name)).not.toContain('written');
    }
  },
);
