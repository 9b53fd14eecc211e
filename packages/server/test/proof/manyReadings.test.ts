import type { Client } from '@peatmoor/contract';
import { newPerson, post, startService, until, type TestService } from '../../../../test/support/service';

const DAY = 86_400_000;
const id = 'fast';
const STEP = 1000;
const COUNT = 60_000;
/** Midnight of three days ago, in UTC. */
const start = Math.floor(Date.now() / DAY - 3) * DAY;
let service: TestService;
let client: Client;
let token: string;
let kind: number;

beforeAll(async () => {
  service = await startService();
  ({ client } = await newPerson(service));
  const made = await client.call('createDevice', {
    body: {
      name: 'Fast',
      newKind: { title: 'Fast', streams: [{ key: 'level', title: 'Level', type: 'integer' }] },
    },
  });
  ({ token } = made);
  kind = made.device.kindId;
  // A day of very many readings, not in order: the middle third comes last, and a part of it twice.
  const rows = Array.from({ length: COUNT }, (_, i) => ({ at: start + i * STEP, level: i % 1000 }));
  for (const [from, to] of [
    [0, 20_000],
    [40_000, 60_000],
    [15_000, 45_000],
  ] as const)
    for (let at = from; at < to; at += 5000)
      expect((await post(service, token, rows.slice(at, at + 5000))).answer.accepted).toBe(5000);
  await until(
    async () => {
      const health = (await (await fetch(`${service.url}/health`)).json()) as {
        unfolded: { readings: number };
      };
      return health.unfolded.readings === 0;
    },
    'all folded',
    30_000,
  );
});
afterAll(() => service.stop());

const query = { streams: 'level', from: start, to: start + DAY };
const history = async (more: object = {}) =>
  (await client.call('history', { params: { device: id }, query: { ...query, ...more } })).lines[0]!;
const sum = (values: readonly number[]): number => values.reduce((all, one) => all + one, 0);

it('has every reading of the day once, whatever the span', async () => {
  for (const buckets of [1, 24, 100, 1000]) {
    const line = await history({ buckets });
    expect([buckets, sum(line.count)]).toEqual([buckets, COUNT]);
    expect(Math.min(...line.min)).toBe(0);
    expect(Math.max(...line.max)).toBe(999);
  }
  const hour = await history({ from: start + 7 * 3_600_000, to: start + 7 * 3_600_000 + 600_000 });
  expect(hour.times).toHaveLength(600);
  expect(hour.values[0]).toBe((7 * 3600) % 1000);
});

it('gives statistics, calendar steps and an export of it', async () => {
  const statistics = await client.call('statistics', {
    params: { device: id },
    query: { stream: 'level', from: start, to: start + DAY },
  });
  expect(statistics).toMatchObject({ count: COUNT, min: 0, max: 999 });
  expect(statistics.mean).toBeCloseTo(499.5, 6);
  const { buckets } = await client.call('calendar', {
    params: { device: id },
    query: { stream: 'level', from: start, to: start + DAY, step: 'hour', zone: 'UTC' },
  });
  expect(buckets.slice(0, 16).every(({ count }) => count === 3600)).toBe(true);
  expect(sum(buckets.map(({ count }) => count))).toBe(COUNT);
  const { secret } = await client.call('createKey', { body: { title: 'export' } });
  const csv = await (
    await fetch(
      `${service.url}/api/devices/${id}/export?streams=level&from=${start}&to=${start + DAY}&access_token=${secret}`,
    )
  ).text();
  expect(csv.trimEnd().split('\n')).toHaveLength(COUNT + 1);
});

it('is counted up where something is computed from it over history', async () => {
  await client.call('createStream', {
    params: { kind },
    body: {
      key: 'counted',
      title: 'Counted',
      type: 'number',
      computation: { form: 'counter', of: 'level', restarts: 'never', zone: 'UTC' },
    },
  });
  await client.call('recompute', { params: { kind, stream: 'counted' }, body: {} });
  await until(
    async () => {
      const [job] = await client.call('listRecomputations', { params: { kind, stream: 'counted' } });
      return job?.state === 'done';
    },
    'the recomputation',
    60_000,
  );
  const line = await history({
    streams: 'counted',
    from: start + (COUNT - 2) * STEP,
    to: start + COUNT * STEP,
  });
  // A counter from 0 to 999 that began again at zero 59 times.
  expect(line.values.at(-1)).toBe(60 * 999);
});

it('loses exactly what is deleted, across all that it is kept in', async () => {
  const from = start + 10_000 * STEP;
  const to = start + 50_000 * STEP;
  const body = { stream: 'level', from, to };
  const params = { device: id };
  expect(await client.call('deleteReadings', { params, body: { ...body, try: true } })).toEqual({
    count: 40_000,
  });
  expect(await client.call('deleteReadings', { params, body })).toEqual({ count: 40_000 });
  const line = await history({ buckets: 1000 });
  expect(sum(line.count)).toBe(COUNT - 40_000);
  expect((await history({ from, to })).times).toEqual([]);
  await post(service, token, { at: start + 20_000 * STEP + 1, level: 5 });
  await until(async () => sum((await history({ buckets: 100 })).count) === COUNT - 40_000 + 1, 'one more');
});
