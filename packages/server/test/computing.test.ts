import type { Client } from '@peatmoor/contract';
import type { Computation } from '@peatmoor/core';
import {
  newPerson,
  post,
  readingsOf,
  startService,
  until,
  type TestService,
} from '../../../test/support/service';

const HOUR = 3_600_000;
let service: TestService;
let client: Client;
let token: string;
let kind: string;
const id = 'sluice';
const start = Date.now() - 40 * 60_000;
const minute = (n: number): number => start + n * 60_000;

const add = (key: string, computation: Computation, type: 'number' | 'boolean' = 'number') =>
  client.call('createStream', { params: { kind }, body: { key, title: key, type, computation } });
const values = async (stream: string): Promise<number[]> =>
  (await readingsOf(client, id, stream)).map(([, value]) => value);
const becomes = (stream: string, wanted: number[]) =>
  until(
    async () => JSON.stringify(await values(stream)) === JSON.stringify(wanted),
    `${stream} to be ${wanted.join(', ')}`,
    60_000,
  ).catch(async (error: Error) => {
    throw new Error(`${error.message}; it is ${(await values(stream)).join(', ')}`);
  });
const problem = (promise: Promise<unknown>) =>
  promise.then(
    () => ({ status: 200, detail: '', errors: [] as { field: string; reason: string }[] }),
    (error: { problem: { status: number; detail: string; errors: { field: string; reason: string }[] } }) =>
      error.problem,
  );
const recomputed = async (stream: string) => {
  await client.call('recompute', { params: { kind, stream }, body: {} });
  return until(async () => {
    const [job] = await client.call('listRecomputations', { params: { kind, stream } });
    if (job?.state === 'failed') throw new Error(job.note);
    return job?.state === 'done' && job;
  }, `${stream} over history`);
};

beforeAll(async () => {
  service = await startService();
  ({ client } = await newPerson(service));
  const made = await client.call('createDevice', {
    body: {
      name: 'Sluice',
      newKind: {
        title: 'Sluice',
        streams: [
          { key: 'flow', title: 'Flow', type: 'number', unit: 'l/s' },
          { key: 'level', title: 'Level', type: 'number', unit: 'mm' },
        ],
      },
    },
  });
  token = made.token;
  kind = String(made.device.kindId);
});
afterAll(() => service.stop());

it('works out what is computed as readings come in, and what is computed from that', async () => {
  await add('head', { form: 'formula', formula: 'level / 10 + 1', gapS: 86_400 });
  await add('total', { form: 'integral', of: 'flow', perS: 60, gapS: 3600, restarts: 'never', zone: 'UTC' });
  await add('high', { form: 'formula', formula: 'head > 12', gapS: 60 }, 'boolean');
  await add('rise', { form: 'change', of: 'head' });
  await post(service, token, { at: minute(0), flow: 2, level: 100 });
  await post(service, token, { at: minute(10), flow: 4, level: 120 });
  await post(service, token, { at: minute(20), flow: 4, level: 90 });
  await becomes('head', [11, 13, 10]);
  await becomes('total', [0, 30, 70]);
  await becomes('high', [0, 1, 0]);
  await becomes('rise', [2, -3]);
});

it('puts late and repeated readings right, in everything that follows from them', async () => {
  await post(service, token, { at: minute(5), flow: 6, level: 130 });
  await post(service, token, { at: minute(10), flow: 2 });
  await becomes('total', [0, 20, 40, 70]);
  await becomes('head', [11, 14, 13, 10]);
  await becomes('rise', [3, -1, -3]);
});

it('refuses what a device reports on it, and says why', async () => {
  const { answer } = await post(service, token, { total: 5, level: 90, at: minute(20) });
  expect(answer.accepted).toBe(1);
  expect(answer.refused[0]).toMatchObject({ name: 'total', reason: 'not-reportable' });
  expect(answer.refused[0]!.hint).toMatch(/computed/);
});

it('opens events on computed values', async () => {
  await client.call('createRule', {
    body: {
      title: 'Head is high',
      kindId: Number(kind),
      stream: 'head',
      comparison: 'above',
      limit: 20,
      holdMs: 0,
    },
  });
  await post(service, token, { at: minute(30), level: 250 });
  const event = await until(
    async () => (await client.call('listEvents', {})).find(({ title }) => title === 'Head is high'),
    'the event',
  );
  expect(event.value).toBe(26);
});

it('refuses a wrong definition with the field and the place, and shows what a right one would give', async () => {
  const wrong = await problem(add('bad', { form: 'formula', formula: '2 * flwo', gapS: 60 }));
  expect(wrong.errors[0]).toMatchObject({ field: 'computation.formula' });
  expect(wrong.detail).toMatch(/character 5: No datastream is called "flwo". The nearest is "flow"/);
  const circle = client.call('changeStream', {
    params: { kind, stream: 'head' },
    body: { key: 'head', title: 'head', type: 'number', computation: { form: 'change', of: 'rise' } },
  });
  expect((await problem(circle)).detail).toMatch(/circle/);
  expect((await problem(add('none', { form: 'lookup' } as never))).errors[0]?.field).toBe('computation.form');
  expect((await problem(add('none', { form: 'moving', of: 'flow' } as never))).status).toBe(200);
  const gone = await problem(client.call('deleteStream', { params: { kind, stream: 'level' } }));
  expect(gone).toMatchObject({ status: 409 });
  expect(gone.detail).toMatch(/"head" is computed and could not be any more/);
  const tried = await client.call('tryComputation', {
    params: { kind },
    body: {
      stream: {
        key: 'new',
        title: 'New',
        type: 'number',
        computation: { form: 'rate', of: 'level', perS: 60 } as Computation,
      },
    },
  });
  expect(tried).toMatchObject({ inputs: ['level'], device: id });
  expect(tried.preview[0]).toEqual([minute(5), 6]);
  expect(await values('none')).toEqual([]);
});

it('works one out over history on request, and again after what it reads was deleted or calibrated', async () => {
  await add('litres', { form: 'counter', of: 'level', restarts: 'never', zone: 'UTC' });
  expect(await values('litres')).toEqual([]);
  await recomputed('litres');
  expect(await values('litres')).toEqual([0, 30, 150, 240, 400]);
  await client.call('deleteReadings', {
    params: { device: id },
    body: { stream: 'level', from: minute(10), to: minute(11) },
  });
  await becomes('litres', [0, 30, 120, 280]);
  await becomes('head', [11, 14, 10, 26]);
  await becomes('rise', [3, -4, 16]);
  const { kept } = await client.call('createCalibration', {
    params: { device: id },
    body: { stream: 'level', calibration: { form: 'linear', scale: 2, offset: 0 } },
  });
  await becomes('head', [21, 27, 19, 51]);
  await client.call('deleteCalibration', { params: { device: id, calibration: kept!.id } });
  await becomes('head', [11, 14, 10, 26]);
  const calibrating = client.call('createCalibration', {
    params: { device: id },
    body: { stream: 'head', calibration: { form: 'linear', scale: 2, offset: 0 } },
  });
  expect((await problem(calibrating)).detail).toMatch(/"head" is computed/);
});

it('goes on after a renaming, and after a kill, with nothing twice', async () => {
  await client.call('changeStream', {
    params: { kind, stream: 'flow' },
    body: { key: 'discharge', title: 'Flow', type: 'number', unit: 'l/s' },
  });
  await post(service, token, { at: minute(30), flow: 4 });
  await becomes('total', [0, 20, 40, 70, 110]);
  await service.restart();
  await post(service, token, { at: minute(35), flow: 2 });
  await becomes('total', [0, 20, 40, 70, 110, 125]);
  await client.call('deleteReadings', { params: { device: id }, body: { stream: 'rise' } });
  await recomputed('rise');
  expect(await values('rise')).toEqual([3, -4, 16]);
});

it('takes years of back-dated readings, in any order', async () => {
  const old = Date.now() - 400 * 24 * HOUR;
  const rows = Array.from({ length: 3000 }, (_, i) => ({ at: old + i * HOUR, discharge: 1 }));
  for (const part of [rows.slice(2000), rows.slice(0, 1000), rows.slice(1000, 2000)])
    expect((await post(service, token, part)).answer.accepted).toBe(1000);
  await until(async () => {
    const { lines } = await client.call('history', {
      params: { device: id },
      query: { streams: 'total', from: old, to: old + 3000 * HOUR, buckets: 100 },
    });
    return Math.max(0, ...lines[0]!.max) === 2999 * 60;
  }, 'the old total');
  await until(async () => (await values('total')).at(-1) === 2999 * 60 + 125, 'the total of today');
});

it('shows nothing of it to another workspace', async () => {
  const { client: stranger } = await newPerson(service, 'Stranger');
  const calls = [
    stranger.call('listRecomputations', { params: { kind, stream: 'total' } }),
    stranger.call('recompute', { params: { kind, stream: 'total' }, body: {} }),
    stranger.call('tryComputation', {
      params: { kind },
      body: { stream: { key: 'a', title: 'A', type: 'number', computation: { form: 'change', of: 'flow' } } },
    }),
  ];
  for (const one of await Promise.all(calls.map(problem))) expect(one.status).toBe(404);
});
