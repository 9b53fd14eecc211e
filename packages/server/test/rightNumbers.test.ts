import type { Client } from '@peatmoor/contract';
import { newPerson, post, startService, until, type TestService } from '../../../test/support/service';

// What comes out is what a plain look at the readings gives, whatever was sent again, late, deleted or taken away and back.
let service: TestService;
let client: Client;
let bearer: string;
const id = 'meter';
const params = { device: id };
const START = Date.now() - 3_600_000;
let token: string;
let kind: number;

beforeAll(async () => {
  service = await startService();
  ({ client } = await newPerson(service));
  const made = await client.call('createDevice', {
    body: {
      name: 'Meter',
      id,
      newKind: {
        title: 'Meter',
        streams: [
          { key: 'a', title: 'A', type: 'number' },
          { key: 'b', title: 'B', type: 'number' },
          { key: 'mode', title: 'Mode', type: 'choice', choices: ['wet', 'dry'] },
          {
            key: 'ratio',
            title: 'Ratio',
            type: 'number',
            computation: { form: 'formula', formula: 'a / b', gapS: 3600 },
          },
        ],
      },
    },
  });
  token = made.token;
  kind = made.device.kindId;
  bearer = (await client.call('createKey', { body: { title: 'numbers' } })).secret;
});
afterAll(() => service.stop());

async function rows(stream: string): Promise<[number, number][]> {
  const query = { streams: stream, from: START - 10_000_000, to: Date.now() + 600_000 };
  const { lines } = await client.call('history', { params, query });
  return lines[0]!.times.map((at, i): [number, number] => [at, lines[0]!.values[i]!]);
}
const fetchExport = (query: string): Promise<Response> =>
  fetch(`${service.url}/api/devices/${id}/export?${query}`, {
    headers: { authorization: `Bearer ${bearer}` },
  });

describe('a formula', () => {
  it('takes back what its inputs no longer give, the newest too', async () => {
    await post(service, token, { at: START, a: 10, b: 2 });
    await post(service, token, { at: START + 1000, a: 20, b: 2 });
    await until(async () => (await rows('ratio')).length === 2);
    // Sent again: divided by nothing it has no value.
    await post(service, token, { at: START + 1000, b: 0 });
    await until(async () => (await rows('ratio')).length === 1, 'that the newest is gone', 30_000);
    expect(await rows('ratio')).toEqual([[START, 5]]);
    const device = await client.call('readDevice', { params });
    expect(device.newest.find(({ key }) => key === 'ratio')).toMatchObject({ at: START, value: 5 });
    await client.call('deleteReadings', { params, body: { stream: 'a', from: START, to: START + 1 } });
    await until(async () => (await rows('ratio')).length === 0, 'that all are gone', 30_000);
  });
});

describe('taking away and bringing back', () => {
  it('holds what was measured, so that a calibration is not made twice', async () => {
    await post(service, token, { at: START + 5000, a: 10, mode: 'dry' });
    await client.call('createCalibration', {
      params,
      body: { stream: 'a', calibration: { form: 'linear', scale: 2, offset: 1 } },
    });
    expect((await rows('a')).at(-1)).toEqual([START + 5000, 21]);
    const raw = await fetchExport('format=csv&streams=a');
    expect(raw.headers.get('peatmoor-values')).toBe('raw');
    const csv = await raw.text();
    expect(csv).toContain(`${new Date(START + 5000).toISOString()},10`);
    for (let twice = 0; twice < 2; twice++) await client.call('importRows', { params, body: { csv } });
    expect((await rows('a')).at(-1)).toEqual([START + 5000, 21]);

    const right = await (await fetchExport('format=csv&streams=a&values=right')).text();
    expect(right).toMatch(/^at \(values made right\),a\r\n[\s\S]*,21\r\n/);
    await expect(client.call('importRows', { params, body: { csv: right } })).rejects.toThrow(
      'corrected twice',
    );
    expect((await rows('a')).at(-1)).toEqual([START + 5000, 21]);
    expect(await (await fetchExport('format=sheet&streams=a')).text()).toMatch(/,\+00:00,21\r\n/);
  });

  it('gives a choice in SenML as it is taken', async () => {
    const senml = await (await fetchExport('format=senml&streams=mode')).text();
    expect(JSON.parse(senml)).toContainEqual({
      bn: 'meter/',
      n: 'mode',
      t: (START + 5000) / 1000,
      vs: 'dry',
    });
    const answer = await post(service, token, senml, {
      'content-type': 'application/senml+json',
    });
    expect(answer).toMatchObject({ status: 200, answer: { accepted: 1, refused: [] } });
  });

  it('has a reading that a fast clock put a little ahead', async () => {
    const ahead = Date.now() + 120_000;
    await post(service, token, { at: ahead, b: 7 });
    expect(await (await fetchExport('format=csv&streams=b')).text()).toContain(new Date(ahead).toISOString());
  });

  it('takes SenML with secondary units by their version', async () => {
    const pack = [{ bver: 26, n: 'b', v: 3, t: START / 1000 + 7 }];
    const answer = await post(service, token, JSON.stringify(pack), {
      'content-type': 'application/senml+json',
    });
    expect(answer).toMatchObject({ status: 200, answer: { accepted: 1 } });
    const newer = [{ bver: 11, n: 'b', v: 3 }];
    expect(
      (await post(service, token, JSON.stringify(newer), { 'content-type': 'application/senml+json' }))
        .status,
    ).toBe(415);
  });
});

describe('a rule', () => {
  const event = async (title: string) =>
    (await client.call('listEvents', { query: { limit: 500 } })).find((one) => one.title === title);

  it('finds what a batch shows that comes newest first, and how far it went while open', async () => {
    const stream = await client.call('createStream', {
      params: { kind },
      body: { key: 'level', title: 'Level', type: 'number' },
    });
    await client.call('createRule', {
      body: { title: 'High', deviceId: id, stream: stream.key, comparison: 'above', limit: 10 },
    });
    await post(service, token, [
      { at: START + 20_000, level: 12 },
      { at: START + 10_000, level: 30 },
      { at: START, level: 1 },
    ]);
    const open = await until(() => event('High'));
    expect(open).toMatchObject({ openedAt: START + 10_000, closedAt: null, value: 30 });
    await post(service, token, { at: START + 30_000, level: 99 });
    await until(async () => (await event('High'))!.extreme === 99, 'its peak', 20_000);
  });

  it('never closes an event before it opened, whatever comes late', async () => {
    await client.call('createRule', {
      body: { title: 'Held', deviceId: id, stream: 'b', comparison: 'above', limit: 100, holdMs: 2000 },
    });
    const at = Date.now() - 500;
    await post(service, token, { at, b: 200 });
    await until(() => event('Held'));
    await post(service, token, { at: at + 1000, b: 5 });
    const closed = await until(async () => {
      const one = await event('Held');
      return one!.closedAt !== null && one;
    });
    expect(closed.closedAt!).toBeGreaterThanOrEqual(closed.openedAt);
  });
});

it('thirty February is no day', async () => {
  expect((await post(service, token, { at: '2026-02-30', b: 1 })).answer.refused[0]).toMatchObject({
    reason: 'wrong-type',
  });
});

it('a calendar of ten years is made from what is kept of whole days', async () => {
  const query = {
    stream: 'b',
    from: Date.now() - 3650 * 86_400_000,
    to: Date.now(),
    step: 'month' as const,
    zone: 'Australia/Lord_Howe',
  };
  const { buckets } = await client.call('calendar', { params, query });
  expect(buckets.length).toBeGreaterThan(118);
  const hours = { ...query, from: Date.UTC(2026, 3, 4), to: Date.UTC(2026, 3, 6), step: 'hour' as const };
  const { buckets: night } = await client.call('calendar', { params, query: hours });
  // The night in which the clock there goes back by half an hour.
  expect(night.every(({ from, to }) => to > from)).toBe(true);
  expect(night.length).toBeLessThanOrEqual(50);
});
