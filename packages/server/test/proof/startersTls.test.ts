import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { STARTERS, type StarterPlan, type StarterSort } from '@peatmoor/core';
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
let plan: StarterPlan;
const folder = newFolder();
const headers = path.join(__dirname, '../boardHeaders');

function write(sort: StarterSort, more: Partial<StarterPlan> = {}): string {
  const target = fs.mkdtempSync(path.join(folder, `${sort}-`));
  for (const file of STARTERS[sort].make({ ...plan, ...more })) {
    fs.mkdirSync(path.dirname(path.join(target, file.path)), { recursive: true });
    fs.writeFileSync(path.join(target, file.path), file.text);
  }
  return target;
}

beforeAll(async () => {
  service = await startService();
  const { client } = await newPerson(service);
  const { device, token } = await newDevice(client);
  const kind = await client.call('readKind', { params: { kind: device.kindId } });
  await client.call('makeCertificate', { body: { names: ['localhost', '127.0.0.1'] } });
  await service.restart(false);
  const { ready } = service.program as unknown as { ready: { mqttsPort: number } };
  plan = {
    deviceId: device.id,
    deviceName: device.name,
    host: '127.0.0.1',
    mqttPort: Number(new URL(service.mqttUrl).port),
    httpUrl: service.url.replace('http:', 'https:'),
    tls: {
      mqttPort: ready.mqttsPort,
      authority: await (await fetch(`${service.url}/authority.crt`)).text(),
    },
    token,
    intervalS: 1,
    streams: kind.streams,
  };
});
afterAll(async () => {
  await service.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

const COMMANDS: Record<'python' | 'node' | 'shell', [string, string]> = {
  python: ['/usr/bin/python3', 'main.py'],
  node: [process.execPath, 'main.mjs'],
  shell: ['/bin/sh', 'report.sh'],
};

describe.each(Object.keys(COMMANDS) as (keyof typeof COMMANDS)[])('the %s starter over TLS', (sort) => {
  const [command, file] = COMMANDS[sort];

  it('trusts the authority of the service, and reports', async () => {
    const program = runProgram(command, [path.join(write(sort), file)]);
    try {
      await until(() => /#\d+ arrived|arrived/.test(program.output()), 'a report', 30_000).catch(
        (error: Error) =>
          Promise.reject(new Error(`${error.message}; it printed: ${program.output().slice(-800)}`)),
      );
    } finally {
      await program.stop();
    }
  });

  it('sends nothing to whoever has another certificate', async () => {
    const stranger = fs.mkdtempSync(path.join(folder, 'stranger-'));
    execFileSync(
      'openssl',
      [
        ...[
          'req',
          '-x509',
          '-newkey',
          'ec',
          '-pkeyopt',
          'ec_paramgen_curve:prime256v1',
          '-nodes',
          '-days',
          '2',
        ],
        ...[
          '-subj',
          '/CN=stranger',
          '-keyout',
          path.join(stranger, 'key'),
          '-out',
          path.join(stranger, 'crt'),
        ],
      ],
      { stdio: 'ignore' },
    );
    const authority = fs.readFileSync(path.join(stranger, 'crt'), 'utf8');
    const program = runProgram(command, [path.join(write(sort, { tls: { ...plan.tls!, authority } }), file)]);
    try {
      await new Promise((resolve) => setTimeout(resolve, 5000));
      expect(program.output()).not.toMatch(/arrived/);
    } finally {
      await program.stop();
    }
  });
});

it.each(['cpp', 'cpp-http'] as const)('the %s program trusts that authority, and compiles', (sort) => {
  const target = write(sort);
  const settings = fs.readFileSync(path.join(target, 'src/settings.h'), 'utf8');
  expect(settings).toContain('#define AUTHORITY \\\n  "-----BEGIN CERTIFICATE-----\\n"');
  execFileSync('g++', [
    ...['-std=c++17', '-Wall', '-Wextra', '-Werror', '-Wno-unused-parameter', `-I${headers}`],
    ...['-c', path.join(target, 'src/main.cpp'), '-o', path.join(target, 'out.o')],
  ]);
});

it('boards go the plain way where the certificate is one of a public authority, and modems always', () => {
  const tls = { mqttPort: 1, authority: '' };
  for (const sort of ['cpp', 'cpp-http', 'cpp-cellular', 'micropython'] as const) {
    const files = STARTERS[sort].make({ ...plan, tls: sort === 'cpp-cellular' ? plan.tls! : tls });
    const settings = files.find(({ path: name }) => /settings/.test(name))!.text;
    expect(settings).toContain(service.url);
    expect(settings).not.toMatch(/AUTHORITY|https:/);
  }
  const trusting = STARTERS.micropython.make(plan).find(({ path: name }) => name === 'settings.py')!.text;
  expect(trusting).toContain('AUTHORITY = """-----BEGIN');
  expect(trusting).toContain(`MQTT_PORT = ${plan.tls!.mqttPort}`);
});
