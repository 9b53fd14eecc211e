import { execFileSync, spawn } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { STARTERS, type StarterPlan } from '@peatmoor/core';
import type { Client } from '@peatmoor/contract';
import {
  newDevice,
  newFolder,
  newPerson,
  startService,
  until,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let client: Client;
let plan: StarterPlan;
const folder = newFolder();

function write(sort: keyof typeof STARTERS): string {
  const target = path.join(folder, sort);
  for (const file of STARTERS[sort].make(plan)) {
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

it('the C++ starter compiles without a warning against stand-ins of the board headers', () => {
  const target = write('cpp');
  const headers = path.join(__dirname, 'boardHeaders');
  const out = path.join(folder, 'board.o');
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
});
