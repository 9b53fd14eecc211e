import type { Client, NewStream } from '@peatmoor/contract';
import { newPerson, post, startService, until, type TestService } from '../../../test/support/service';

const DAY = 86_400_000;
const id = 'dipwell';
const noon = Math.floor((Date.now() - 3 * DAY) / DAY) * DAY + DAY / 2;
let service: TestService;
let client: Client;
let token: string;
let kind: number;

const make = async (name: string, streams: Partial<NewStream>[]) => {
  const made = await client.call('createDevice', {
    body: { name, newKind: { title: name, streams: streams as never } },
  });
  return { token: made.token, kind: made.device.kindId };
};
const streamOf = async (key = 'level') =>
  (await client.call('readKind', { params: { kind } })).streams.find((one) => one.key === key)!;
const change = async (more: object, key = 'level') => {
  const { id: _id, ...before } = await streamOf(key);
  return client.call('changeStream', {
    params: { kind, stream: key },
    body: { ...before, ...more },
  });
};
const problem = (promise: Promise<unknown>) =>
  promise.then(
    () => ({ status: 200, detail: '', errors: [] as { field: string; reason: string }[] }),
    (error: { problem: { status: number; detail: string; errors: { field: string; reason: string }[] } }) =>
      error.problem,
  );
const values = async (device = id, streams = 'level') =>
  (await client.call('history', { params: { device }, query: { streams, from: noon - DAY, to: Date.now() } }))
    .lines[0]!.values;
const newest = async () =>
  (await client.call('readDevice', { params: { device: id } })).newest.find(({ key }) => key === 'level')
    ?.value;

beforeAll(async () => {
  service = await startService();
  ({ client } = await newPerson(service));
  ({ token, kind } = await make('Dipwell', [
    { key: 'level', title: 'Level', type: 'number', unit: 'mm', min: -500, max: 150, decimals: 0 },
    { key: 'warmth', title: 'Warmth', type: 'number', unit: 'Cel' },
    {
      key: 'depth',
      title: 'Depth',
      type: 'number',
      unit: 'Cel',
      computation: { form: 'formula', formula: 'warmth * 2', gapS: 60 },
    },
    { key: 'turns', title: 'Turns', type: 'integer', unit: 'mm' },
    { key: 'gate', title: 'Gate', type: 'number', unit: 'mm', direction: 'both' },
  ]));
  const rows = [-121, -120, -119].map((level, i) => ({
    at: noon + i * 60_000,
    level,
    warmth: 5,
    turns: 4,
    gate: 7,
  }));
  expect((await post(service, token, rows)).status).toBe(200);
});
afterAll(() => service.stop());

describe('another unit for what was measured', () => {
  it('is never only another name, unless the maker says so', async () => {
    await until(async () => (await values()).length === 3);
    const asked = await problem(change({ unit: 'm' }));
    expect(asked.status).toBe(422);
    expect(asked.errors[0]).toMatchObject({ field: 'past' });
    expect(JSON.stringify(asked)).toMatch(/3 readings on 1 device/);
    expect(JSON.stringify(asked)).toMatch(/convert.*rename/);
    expect((await streamOf()).unit).toBe('mm');
  });

  it('shows history, limits, range and scales in the new one, and boards go on as before', async () => {
    const rule = await client.call('createRule', {
      body: {
        title: 'Dry',
        kindId: kind,
        deviceId: null,
        stream: 'level',
        comparison: 'below',
        limit: -300,
        closeLimit: -250,
        emails: [],
      } as never,
    });
    const board = await client.call('createDashboard', {
      body: {
        title: 'Wells',
        kindId: kind,
        widgets: [
          {
            id: 'a',
            type: 'gauge',
            title: '',
            x: 0,
            y: 0,
            w: 2,
            h: 5,
            sources: [{ device: null, stream: 'level' }],
            options: { min: -400, max: 100, step: 50, zones: '..-300 dry: wrong, -300..100 good' },
          },
          {
            id: 'b',
            type: 'chart',
            title: '',
            x: 2,
            y: 0,
            w: 6,
            h: 5,
            sources: [
              { device: null, stream: 'level' },
              { device: null, stream: 'warmth' },
            ],
            options: { min: -400 },
          },
        ],
      } as never,
    });
    await client.call('createCalibration', {
      params: { device: id },
      body: { stream: 'level', calibration: { form: 'linear', scale: 1, offset: 1 }, from: null } as never,
    });
    const after = await change({ unit: 'm', past: 'convert' });
    expect(after).toMatchObject({
      unit: 'm',
      keptUnit: 'mm',
      sentUnit: 'mm',
      min: -0.5,
      max: 0.15,
      decimals: 3,
    });
    expect(await values()).toEqual([-0.12, -0.119, -0.118]);
    await until(async () => (await newest()) === -0.118);
    // What the board sends is what it sent.
    const sent = await post(service, token, { level: -200 });
    expect(sent.answer).toMatchObject({ accepted: 1 });
    await until(async () => (await newest()) === -0.199);
    // Its range is told in the unit that is shown; a unit of its own is minded.
    expect((await post(service, token, { level: 400 })).answer).toMatchObject({
      refused: [{ reason: 'out-of-range', hint: expect.stringMatching(/0\.4 is above 0\.15 m/) }],
    });
    const senml = await post(service, token, JSON.stringify([{ n: 'level', u: 'cm', v: -30 }]), {
      'content-type': 'application/senml+json',
    });
    expect(senml.status).toBe(200);
    await until(async () => (await newest()) === -0.299);
    expect(await client.call('readRule', { params: { rule: rule.id } })).toMatchObject({
      limit: -0.3,
      closeLimit: -0.25,
    });
    const shown = await client.call('readDashboard', { params: { dashboard: board.id } });
    expect(shown.widgets[0]!.options).toMatchObject({
      min: -0.4,
      max: 0.1,
      step: 0.05,
      zones: '..-0.3 dry: wrong, -0.3..0.1 good',
    });
    // A chart of several units keeps the scale that its maker chose.
    expect(shown.widgets[1]!.options).toMatchObject({ min: -400 });
    expect(shown.version).toBe(board.version + 1);
    const wide = await client.call('history', {
      params: { device: id },
      query: { streams: 'level', from: noon - 40 * DAY, to: Date.now(), buckets: 20 },
    });
    expect(Math.min(...wide.lines[0]!.min)).toBeCloseTo(-0.299);
  });

  it('comes back whole from an export of what was sent', async () => {
    const { secret } = await client.call('createKey', { body: { title: 'Program', scope: 'everything' } });
    const read = async (how: string) =>
      (
        await fetch(
          `${service.url}/api/devices/${id}/export?streams=level&format=csv&values=${how}&from=${noon}&to=${noon + 60_000}`,
          {
            headers: { authorization: `Bearer ${secret}` },
          },
        )
      ).text();
    expect(await read('raw')).toMatch(/-121\b/);
    expect(await read('right')).toMatch(/-0\.12\b/);
    const before = await values();
    const csv = await read('raw');
    await client.call('importRows', { params: { device: id }, body: { csv } as never });
    expect(await values()).toEqual(before);
  });

  it('back again is as before, to the bit', async () => {
    const after = await change({ unit: 'mm', past: 'convert' });
    expect(after).toMatchObject({
      unit: 'mm',
      keptUnit: null,
      sentUnit: null,
      min: -500,
      max: 150,
      decimals: 0,
    });
    expect((await values()).slice(0, 3)).toEqual([-120, -119, -118]);
  });

  it('can be sent by new programs while old readings stay right', async () => {
    await change({ unit: 'm', past: 'convert', sentUnit: 'm' });
    await post(service, token, { level: -0.31 });
    await until(async () => (await newest()) === -0.309);
    await change({ unit: 'mm', past: 'convert', sentUnit: 'm' });
    expect(await newest()).toBe(-309);
    expect((await values())[0]).toBe(-120);
    await change({ sentUnit: null });
  });

  it('only named is the same numbers', async () => {
    const before = await values();
    await change({ unit: 'cm', past: 'rename' });
    expect(await values()).toEqual(before);
    await change({ unit: 'mm', past: 'rename' });
  });

  it('is not lost on the way over no unit at all', async () => {
    const asked = await problem(change({ unit: null }));
    expect([asked.status, asked.errors[0]?.field]).toEqual([422, 'past']);
    expect((await problem(change({ unit: null, past: 'convert' }))).status).toBe(422);
    await change({ unit: null, past: 'rename' });
    // What had none is named, and that is no other name.
    await change({ unit: 'mm' });
  });

  it('happens once where two ask for it at once: limits go along once', async () => {
    const [rule] = await client.call('listRules', { query: { kind } });
    expect(rule).toMatchObject({ title: 'Dry', limit: -300 });
    const { id: _id, ...before } = await streamOf();
    const convert = () =>
      client.call('changeStream', {
        params: { kind, stream: 'level' },
        body: { ...before, unit: 'm', past: 'convert' },
      });
    const several = await Promise.allSettled([1, 2, 3].map(convert));
    expect(several.filter(({ status }) => status === 'fulfilled')).toHaveLength(1);
    // Nor are they taken for the new unit's where one comes late.
    const late = await problem(convert());
    expect([late.status, late.detail]).toEqual([409, expect.stringMatching(/is in m already/)]);
    expect(await client.call('readRule', { params: { rule: rule!.id } })).toMatchObject({ limit: -0.3 });
    expect(await streamOf()).toMatchObject({ unit: 'm', min: -0.5, max: 0.15 });
    await change({ unit: 'mm', past: 'convert' });
    expect(await client.call('readRule', { params: { rule: rule!.id } })).toMatchObject({ limit: -300 });
  });

  it('sees an expression that calls the datastream by another of its names', async () => {
    await change({ aliases: ['depth_of_water'] });
    const rule = await client.call('createRule', {
      body: {
        title: 'By another name',
        kindId: kind,
        deviceId: null,
        stream: '',
        comparison: 'expression',
        expression: 'depth_of_water < -5000',
        emails: [],
      } as never,
    });
    expect((await problem(change({ unit: 'm', past: 'convert' }))).errors[0]).toMatchObject({
      reason: expect.stringMatching(/"By another name" calculates with it/),
    });
    await client.call('deleteRule', { params: { rule: rule.id } });
  });

  it('does not open an event by the change alone', async () => {
    const rule = await client.call('createRule', {
      body: {
        title: 'Rise',
        kindId: kind,
        deviceId: null,
        stream: 'level',
        comparison: 'rises',
        amount: 50,
        withinMs: DAY,
        emails: [],
      } as never,
    });
    await post(service, token, { level: -280 });
    await change({ unit: 'm', past: 'convert' });
    await post(service, token, { level: -279 });
    await until(async () => (await newest()) === -0.278);
    await new Promise((resolve) => setTimeout(resolve, 800));
    expect(await client.call('readRule', { params: { rule: rule.id } })).toMatchObject({
      amount: 0.05,
      openEvents: 0,
    });
    await change({ unit: 'mm', past: 'convert' });
  });

  it('is refused, with the reason, where it cannot be converted', async () => {
    const why = async (key: string, more: object) =>
      (await problem(change({ past: 'convert', ...more }, key))).errors[0];
    expect(await why('level', { unit: 'Cel', sentUnit: null })).toMatchObject({
      field: 'past',
      reason: expect.stringMatching(/measure different/),
    });
    expect(await why('turns', { unit: 'm' })).toMatchObject({
      reason: expect.stringMatching(/whole numbers/),
    });
    expect(await why('warmth', { unit: 'K' })).toMatchObject({
      reason: expect.stringMatching(/"depth" is computed from it/),
    });
    expect(await why('gate', { unit: 'm' })).toMatchObject({
      reason: expect.stringMatching(/people control/),
    });
    expect((await problem(change({ sentUnit: 'Cel' }))).errors[0]).toMatchObject({ field: 'sentUnit' });
    await change({ unit: 'm', past: 'convert' });
    expect((await problem(change({ unit: 'cm', past: 'rename' }))).errors[0]).toMatchObject({
      reason: expect.stringMatching(/kept in mm/),
    });
    expect((await problem(change({ direction: 'both', sentUnit: null, keptUnit: null }))).status).toBe(409);
    expect((await problem(change({ unit: null, sentUnit: null, keptUnit: null }))).status).toBe(409);
    expect((await streamOf()).unit).toBe('m');
  });

  it('goes neither by moving devices to a kind of another unit', async () => {
    const other = await make('Other', [{ key: 'level', title: 'Level', type: 'number', unit: 'm' }]);
    const moved = await problem(
      client.call('moveDevices', { params: { kind: other.kind }, body: { devices: [id] } }),
    );
    expect(JSON.stringify(moved)).toMatch(/in mm, which would become m/);
  });
});
