import type { Client } from '@peatmoor/contract';
import { newPerson, post, startService, until, type TestService } from '../../../../test/support/service';

// Folding, working out anew, deleting, calibrating and importing, all at once: afterwards what is kept is what a rebuild
// from the list of readings gives.
const HOUR_MS = 3_600_000;
const ROUNDS = 12;
const id = 'dipwell';
const params = { device: id };
/** Three days ago, so that every part lies in days of its own. */
const START = Math.floor(Date.now() / (24 * HOUR_MS)) * 24 * HOUR_MS - 72 * HOUR_MS;
/** Where readings are reported, imported, and imported to be deleted: hours after START. */
const REPORTED = 0;
const IMPORTED = 24;
const DELETED = 48;

let service: TestService;
let client: Client;
let token: string;
let kind: number;

beforeAll(async () => {
  service = await startService();
  ({ client } = await newPerson(service));
  const made = await client.call('createDevice', {
    body: {
      name: 'Dipwell',
      id,
      newKind: {
        title: 'Dipwell',
        streams: [
          { key: 'level', title: 'Level', type: 'number' },
          {
            key: 'twice',
            title: 'Twice',
            type: 'number',
            computation: { form: 'formula', formula: 'level * 2.0', gapS: 3600 },
          },
        ],
      },
    },
  });
  token = made.token;
  kind = made.device.kindId;
});
afterAll(() => service.stop());

const at = (hour: number, i: number): number => START + hour * HOUR_MS + i * 1000;
const value = (hour: number, round: number, i: number): number => hour * 1000 + round * 50 + i;

async function readings(stream: string): Promise<Map<number, number>> {
  const all = new Map<number, number>();
  for (const hour of [REPORTED, IMPORTED, DELETED]) {
    const query = { streams: stream, from: at(hour, 0), to: at(hour + 24, 0) };
    const { lines } = await client.call('history', { params, query });
    lines[0]!.times.forEach((time, i) => all.set(time, lines[0]!.values[i]!));
  }
  return all;
}

it('gives what a rebuild gives', async () => {
  const expected = new Map<number, number>();
  const report = async (): Promise<void> => {
    for (let round = 0; round < ROUNDS; round++) {
      // On time, then late ones before them, then the same once more.
      const rows = Array.from({ length: 40 }, (_, i) => {
        const time = at(REPORTED, (round % 2 === 0 ? round + 2 : round - 1) * 40 + i);
        expected.set(time, value(REPORTED, round, i));
        return { at: time, level: value(REPORTED, round, i) };
      });
      for (let twice = 0; twice < 2; twice++) expect((await post(service, token, rows)).status).toBe(200);
    }
  };
  const bring = async (hour: number, round: number): Promise<void> => {
    const rows = Array.from({ length: 40 }, (_, i) => `${at(hour, round * 40 + i)},${value(hour, round, i)}`);
    await client.call('importRows', { params, body: { csv: `at,level\n${rows.join('\n')}\n` } });
  };
  const imports = async (): Promise<void> => {
    for (let round = 0; round < ROUNDS; round++) {
      await bring(IMPORTED, round);
      for (let i = 0; i < 40; i++) expected.set(at(IMPORTED, round * 40 + i), value(IMPORTED, round, i));
    }
  };
  const deletes = async (): Promise<void> => {
    for (let round = 0; round < ROUNDS; round++) {
      await bring(DELETED, round);
      // Half of what has just come.
      const { count } = await client.call('deleteReadings', {
        params,
        body: { stream: 'level', from: at(DELETED, round * 40), to: at(DELETED, round * 40 + 20) },
      });
      expect(count).toBe(20);
      for (let i = 20; i < 40; i++) expected.set(at(DELETED, round * 40 + i), value(DELETED, round, i));
    }
  };
  const calibrates = async (): Promise<void> => {
    for (let round = 0; round < ROUNDS; round++) {
      const { kept } = await client.call('createCalibration', {
        params,
        body: { stream: 'level', calibration: { form: 'linear', scale: 1, offset: round + 1 } },
      });
      await client.call('deleteCalibration', { params: { ...params, calibration: kept!.id } });
    }
  };
  const recomputes = async (): Promise<void> => {
    for (let round = 0; round < ROUNDS; round++)
      await client.call('recompute', { params: { kind, stream: 'twice' }, body: {} });
  };
  await Promise.all([report(), imports(), deletes(), calibrates(), recomputes()]);

  const sorted = (map: Map<number, number>): [number, number][] => [...map].sort(([a], [b]) => a - b);
  expect(sorted(await readings('level'))).toEqual(sorted(expected));
  const jobs = async () => client.call('listRecomputations', { params: { kind, stream: 'twice' } });
  await until(
    async () => (await jobs()).every(({ state }) => state === 'done'),
    'that all is worked out',
    60_000,
  );
  // What was worked out while everything changed is what is worked out from the beginning.
  const doubled = sorted(expected).map(([time, level]): [number, number] => [time, level * 2]);
  await until(async () => (await readings('twice')).size === doubled.length);
  expect(sorted(await readings('twice'))).toEqual(doubled);

  // Buckets from rollups say the same as the readings they stand for.
  for (const buckets of [7, 72]) {
    const { lines } = await client.call('history', {
      params,
      query: { streams: 'level', from: START, to: START + 72 * HOUR_MS, buckets },
    });
    const [line] = lines;
    line!.times.forEach((time, i) => {
      const inside = sorted(expected).filter(([one]) => one >= time && one < time + line!.spanMs);
      expect(line!.count[i]).toBe(inside.length);
      if (inside.length === 0) return;
      expect(line!.max[i]).toBe(Math.max(...inside.map(([, one]) => one)));
      expect(line!.min[i]).toBe(Math.min(...inside.map(([, one]) => one)));
    });
    expect(line!.count.reduce((sum, one) => sum + one, 0)).toBe(expected.size);
  }
});
