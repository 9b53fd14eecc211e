import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { PLAIN_STREAM, STARTERS, type Datastream, type StarterPlan } from '@peatmoor/core';
import type { Client, Command } from '@peatmoor/contract';
import { startBoard } from '../../../../test/support/microPython';
import { runProgram } from '../../../../test/support/starter';
import {
  newFolder,
  newPerson,
  startService,
  until,
  type TestService,
} from '../../../../test/support/service';

// What a board keeps by itself: how long a control may run, and what is done once its link is cut.
let service: TestService;
let client: Client;
const folder = newFolder();
const PUMP: Datastream = {
  ...PLAIN_STREAM,
  key: 'pump',
  title: 'Pump',
  type: 'boolean',
  direction: 'control',
  runAtMost: { value: 'on', mostS: 3, then: 'off', restS: 2 },
};
const GATE: Datastream = {
  ...PLAIN_STREAM,
  key: 'gate',
  title: 'Gate',
  type: 'choice',
  choices: ['closed', 'half open'],
  direction: 'control',
  withoutLink: { afterS: 10, value: 'closed' },
};
const LEVEL: Datastream = { ...PLAIN_STREAM, key: 'level', title: 'Level' };

beforeAll(async () => {
  service = await startService();
  ({ client } = await newPerson(service));
});
afterAll(async () => {
  await service.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

async function planOf(id: string, streams = [LEVEL, PUMP, GATE]): Promise<StarterPlan> {
  const made = await client.call('createDevice', {
    body: { name: id, id, newKind: { title: id, intervalS: 1, streams } },
  } as never);
  return {
    deviceId: id,
    deviceName: id,
    host: '127.0.0.1',
    mqttPort: Number(new URL(service.mqttUrl).port),
    httpUrl: service.url,
    token: made.token,
    intervalS: 1,
    streams,
    wifi: { name: 'moss', password: 'wet' },
  };
}
const want = (device: string, stream: string, value: string): Promise<Command> =>
  client.call('createCommand', { params: { device }, body: { stream, value } });
const keptBy = async (device: string): Promise<string | undefined> =>
  (await client.call('readDevice', { params: { device } })).about.keeps;
const BOTH = 'pump\tmost\t3\t1\t2\t0\ngate\talone\t10\tclosed';

/** A program as it runs somewhere: what it printed, how its link is cut and mended, and how it ends. */
interface Running {
  printed(): string;
  cut(): Promise<void>;
  mend(): Promise<void>;
  stop(): Promise<void>;
}
function onComputer(sort: 'python' | 'node', plan: StarterPlan): Running {
  const target = path.join(folder, plan.deviceId);
  for (const file of STARTERS[sort].make(plan)) {
    fs.mkdirSync(path.dirname(path.join(target, file.path)), { recursive: true });
    fs.writeFileSync(path.join(target, file.path), file.text);
  }
  const [command, file] =
    sort === 'python' ? ['/usr/bin/python3', 'main.py'] : [process.execPath, 'main.mjs'];
  const program = runProgram(command, [path.join(target, file)]);
  return {
    printed: program.output,
    cut: () => service.program.kill().then(() => undefined),
    mend: () => service.restart(false).catch(() => service.restart()),
    stop: () => program.stop().then(() => undefined),
  };
}
function onBoard(plan: StarterPlan): Running {
  const board = startBoard(STARTERS.micropython.make(plan));
  return {
    printed: board.printed,
    cut: () => Promise.resolve(void (board.wifi = false)),
    mend: () => Promise.resolve(void (board.wifi = true)),
    stop: () => board.stop(),
  };
}

it.each([
  ['python', (plan: StarterPlan) => onComputer('python', plan)],
  ['node', (plan: StarterPlan) => onComputer('node', plan)],
  ['micropython', onBoard],
] as const)(
  'the %s program says what it keeps, ends a run by itself, and closes the gate once its link is cut',
  async (sort, start) => {
    const id = `keeps-${sort}`;
    const running = start(await planOf(id));
    const prints = (pattern: RegExp, what: string, ms = 30_000): Promise<unknown> =>
      until(() => pattern.test(running.printed()), what, ms).catch((error: Error) =>
        Promise.reject(
          new Error(
            `${error.message}; it printed: ${running
              .printed()
              .replace(/^arrived.*\n/gm, '')
              .slice(-1500)}`,
          ),
        ),
      );
    try {
      await until(async () => (await keptBy(id)) === BOTH, 'it says what it keeps');
      await want(id, 'gate', 'half open');
      await prints(/wanted gate = half open,? applied/, 'the gate is open');
      await want(id, 'pump', 'on');
      await prints(/wanted pump = 1,? applied/, 'the pump runs');
      await running.cut();
      const before = performance.now();
      await prints(/kept pump = 0, applied: it ran for as long as it may/, 'the run is ended', 10_000);
      await prints(/kept gate = closed, applied: nothing was heard/, 'the gate is closed', 40_000);
      expect(performance.now() - before).toBeGreaterThan(5000);
      // Closed once, not again and again.
      expect(running.printed().match(/kept gate/g)).toHaveLength(1);
      await running.mend();
      // What is wanted holds again with the link.
      await until(
        () => (running.printed().match(/wanted gate = half open,? applied/g) ?? []).length >= 2,
        'the gate is open again',
        90_000,
      ).catch((error: Error) =>
        Promise.reject(
          new Error(
            `${error.message}; it printed: ${running
              .printed()
              .replace(/^arrived.*\n/gm, '')
              .slice(-1500)}`,
          ),
        ),
      );
    } finally {
      await running.stop();
    }
  },
);

it('a change of what is kept reaches a board that is connected, and stays with it', async () => {
  const plan = await planOf('keeps-changed');
  const running = onComputer('python', plan);
  try {
    await until(async () => (await keptBy('keeps-changed')) === BOTH, 'it says what it keeps');
    const { kindId } = await client.call('readDevice', { params: { device: 'keeps-changed' } });
    const { streams } = await client.call('readKind', { params: { kind: kindId } });
    const { id: _id, ...gate } = streams.find(({ key }) => key === 'gate')!;
    await client.call('changeStream', {
      params: { kind: kindId, stream: 'gate' },
      body: { ...gate, withoutLink: { afterS: 60, value: 'half open' } } as never,
    });
    const now = BOTH.replace('10\tclosed', '60\thalf open');
    await until(async () => (await keptBy('keeps-changed')) === now, 'it says what it keeps now');
    expect(fs.readFileSync(path.join(folder, 'keeps-changed', 'keep.txt'), 'utf8')).toBe(now);
  } finally {
    await running.stop();
  }
});

it.each(['cpp', 'cpp-http', 'cpp-cellular'] as const)(
  'the %s program, run on this computer, ends a run, rests, and closes the gate without a link',
  (sort) => {
    const target = path.join(folder, sort);
    const plan: StarterPlan = {
      deviceId: 'keeps-cpp',
      deviceName: 'Mill sluice',
      host: '127.0.0.1',
      mqttPort: 1883,
      httpUrl: 'http://127.0.0.1:8080',
      token: 'made-up',
      intervalS: 60,
      streams: [LEVEL, PUMP, GATE],
    };
    for (const file of STARTERS[sort].make(plan)) {
      fs.mkdirSync(path.dirname(path.join(target, file.path)), { recursive: true });
      fs.writeFileSync(path.join(target, file.path), file.text);
    }
    const headers = path.join(__dirname, '../boardHeaders');
    const program = path.join(folder, `${sort}-keep`);
    execFileSync('g++', [
      ...['-std=c++17', '-Wall', '-Wextra', '-Werror', '-Wno-unused-parameter', `-I${headers}`],
      ...[`-DMAIN="${path.join(target, 'src/main.cpp')}"`, path.join(headers, 'keep.cpp'), '-o', program],
    ]);
    let second = 0;
    const said = execFileSync(program, { encoding: 'utf8' })
      .split('\n')
      .map((line) => {
        second = Number(/^== (\d+)/.exec(line)?.[1] ?? second);
        return { second, line };
      });
    const at = (words: string): number[] =>
      said.flatMap((one) => (one.line.includes(words) ? [one.second] : []));
    expect(at('wanted pump = 1, applied')).toEqual([2, 9]);
    expect(at('kept pump = 0, applied: it ran for as long as it may')).toEqual([5]);
    expect(at('wanted pump = 1: it rests, not done')).toEqual([6]);
    // With the link it stays as it is wanted.
    expect(at('kept gate = closed, applied: nothing was heard')).toEqual([expect.closeTo(45, -1)]);
    expect(at('what is kept is new')).toEqual([1]);
    expect(said.filter(({ line }) => line.includes('keeps')).at(-1)!.line).toContain(
      '{"keeps":"pump\\tmost\\t3\\t1\\t2\\t0\\ngate\\talone\\t10\\tclosed"}',
    );
  },
);
