import type { Client } from '@peatmoor/contract';
import type { Calibration } from '@peatmoor/core';
import { WebSocket } from 'ws';
import { newPerson, post, startService, until, type TestService } from '../../../test/support/service';

const HOUR = 3_600_000;
const DAY = 24 * HOUR;
const id = 'dipwell';
const noon = Math.floor((Date.now() - 20 * DAY) / DAY) * DAY + 12 * HOUR;
let service: TestService;
let client: Client;
let cookie: () => string;
let token: string;

beforeAll(async () => {
  service = await startService();
  ({ client, cookie } = await newPerson(service));
  ({ token } = await client.call('createDevice', {
    body: {
      name: 'Dipwell',
      newKind: {
        title: 'Dipwell',
        streams: [
          { key: 'level', title: 'Level', type: 'number', unit: 'mm' },
          { key: 'pump', title: 'Pump', type: 'boolean' },
        ],
      },
    },
  }));
  const rows = Array.from({ length: 1500 }, (_, i) => ({ at: noon + i * 60_000, level: i % 100 }));
  expect((await post(service, token, rows)).status).toBe(200);
});
afterAll(() => service.stop());

const line = (scale: number, offset: number): Calibration => ({ form: 'linear', scale, offset });
const make = (body: { calibration: Calibration; from?: number | null; try?: boolean; captured?: object }) =>
  client.call('createCalibration', { params: { device: id }, body: { stream: 'level', ...body } as never });
const history = async (query: object) =>
  (await client.call('history', { params: { device: id }, query: { streams: 'level', ...query } })).lines[0]!;
const clear = async () => {
  for (const { id: calibration } of await client.call('listCalibrations', { params: { device: id } }))
    await client.call('deleteCalibration', { params: { device: id, calibration } });
};
const problem = (promise: Promise<unknown>) =>
  promise.then(
    () => ({ status: 200, errors: [] as { field: string }[] }),
    (error: { problem: { status: number; errors: { field: string }[] } }) => error.problem,
  );

describe('a calibration', () => {
  afterEach(clear);

  it('is shown on recent readings before it is kept', async () => {
    const { kept, preview } = await make({ calibration: line(2, 1), try: true });
    expect(kept).toBeNull();
    expect(preview).toHaveLength(20);
    expect(preview.at(-1)).toEqual([noon + 1499 * 60_000, 99, 199]);
    expect((await history({ from: noon, to: noon + 60_000 })).values).toEqual([0]);
  });

  it('over all history changes readings, buckets, calendar, statistics and exports; taken back, nothing', async () => {
    await make({ calibration: line(-2, 10) });
    const raw = await history({ from: noon, to: noon + 3 * 60_000 });
    expect(raw.values).toEqual([10, 8, 6]);
    const wide = await history({ from: noon - 4 * DAY, to: noon + 4 * DAY, buckets: 9 });
    expect(Math.min(...wide.min)).toBe(10 - 2 * 99);
    expect(Math.max(...wide.max)).toBe(10);
    expect(wide.count.reduce((sum, one) => sum + one, 0)).toBe(1500);
    const { buckets } = await client.call('calendar', {
      params: { device: id },
      query: { stream: 'level', from: noon, to: noon + DAY, step: 'day', zone: 'UTC' },
    });
    expect(buckets[0]).toMatchObject({ max: 10, first: 10 });
    const facts = await client.call('statistics', {
      params: { device: id },
      query: { stream: 'level', from: noon, to: noon + 2 * DAY },
    });
    expect(facts.mean).toBeCloseTo(10 - 2 * 49.5);
    const csv = await fetch(
      `${service.url}/api/devices/${id}/export?streams=level&values=right&from=${noon}&to=${noon + 60_000}`,
      { headers: { cookie: cookie() } },
    );
    expect(await csv.text()).toMatch(/,10\r\n$/);
    await clear();
    expect((await history({ from: noon, to: noon + 3 * 60_000 })).values).toEqual([0, 1, 2]);
  });

  it('from a time on leaves what was before, in readings and in buckets that straddle it', async () => {
    const from = noon + 700 * 60_000;
    await make({ calibration: line(1, 1000), from });
    const around = await history({ from: from - 60_000, to: from + 60_000 });
    expect(around.values).toEqual([99, 1000]);
    const wide = await history({ from: noon - 10 * DAY, to: noon + 10 * DAY, buckets: 21 });
    expect(wide.count.reduce((sum, one) => sum + one, 0)).toBe(1500);
    const total = wide.values.reduce((sum, mean, i) => sum + mean * wide.count[i]!, 0);
    expect(total).toBeCloseTo(1500 * 49.5 + 800 * 1000, 3);
  });

  it('by a table is right in buckets too', async () => {
    await make({
      calibration: {
        form: 'table',
        points: [
          [0, 0],
          [50, 500],
          [100, 600],
        ],
      },
    });
    const wide = await history({ from: noon - 2 * DAY, to: noon + 2 * DAY, buckets: 5 });
    const mean = wide.values.reduce((sum, one, i) => sum + one * wide.count[i]!, 0) / 1500;
    const pure = Array.from({ length: 100 }, (_, i) => (i <= 50 ? i * 10 : 500 + (i - 50) * 2));
    expect(mean).toBeCloseTo(pure.reduce((sum, one) => sum + one, 0) / 100, 6);
  });

  it('holds for what comes: the newest, live, and in event rules', async () => {
    await make({ calibration: line(1, 500), from: Date.now() - 1000 });
    const rule = await client.call('createRule', {
      body: { title: 'High', deviceId: id, stream: 'level', comparison: 'above', limit: 600 },
    });
    const live = new WebSocket(`${service.url.replace('http', 'ws')}/api/live`, {
      headers: { cookie: cookie() },
    });
    const heard: unknown[] = [];
    live.on('message', (text: Buffer) => {
      const message = JSON.parse(text.toString()) as { type: string; values: unknown[] };
      if (message.type === 'readings') heard.push(...message.values);
    });
    await new Promise((resolve) => live.once('open', resolve));
    live.send(JSON.stringify({ type: 'watch', devices: [id] }));
    await post(service, token, { level: 150 });
    const newest = (await client.call('readDevice', { params: { device: id } })).newest;
    expect(newest.find(({ key }) => key === 'level')?.value).toBe(650);
    await until(() => heard.some((one) => (one as [string, number, number])[2] === 650));
    const event = await until(async () => (await client.call('listEvents', { query: {} }))[0]);
    expect(event).toMatchObject({ ruleId: rule.id, value: 650 });
    live.close();
  });

  it('keeps the reference it was made from, with the error before and after', async () => {
    const { kept } = await make({
      calibration: line(1, -20),
      captured: { reference: 100, measured: 120, spread: 0.4, seconds: 10 },
    });
    expect(kept).toMatchObject({ errorBefore: 20, errorAfter: 0, by: 'Warden' });
    const [listed] = await client.call('listCalibrations', { params: { device: id } });
    expect(listed!.captured).toEqual({ reference: 100, measured: 120, spread: 0.4, seconds: 10 });
  });

  it('is refused by field where it cannot be, and out of reach for others', async () => {
    for (const calibration of [
      line(0, 1),
      { form: 'linear', scale: 'much', offset: 1 },
      { form: 'curve' },
      { form: 'table', points: [[1, 2]] },
      {
        form: 'table',
        points: [
          [2, 1],
          [1, 2],
        ],
      },
    ])
      expect((await problem(make({ calibration: calibration as never }))).errors[0]!.field).toBe(
        'calibration',
      );
    const of = (stream: string) =>
      problem(
        client.call('createCalibration', {
          params: { device: id },
          body: { stream, calibration: line(1, 1) },
        }),
      );
    expect((await of('pump')).errors[0]!.field).toBe('stream');
    expect((await of('nothing')).errors[0]!.field).toBe('stream');
    const { kept } = await make({ calibration: line(1, 1) });
    const stranger = (await newPerson(service, 'Stranger')).client;
    const params = { device: id, calibration: kept!.id };
    expect((await problem(stranger.call('deleteCalibration', { params }))).status).toBe(404);
    expect((await problem(stranger.call('listCalibrations', { params }))).status).toBe(404);
    expect(
      (await problem(client.call('deleteCalibration', { params: { ...params, calibration: 999 } }))).status,
    ).toBe(404);
  });
});
