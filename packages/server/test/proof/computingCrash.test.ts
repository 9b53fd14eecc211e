import type { Client } from '@peatmoor/contract';
import { newPerson, startService, until, type TestService } from '../../../../test/support/service';

jest.setTimeout(180_000);

const KILLS = 4;
const id = 'meter';
let service: TestService;
let client: Client;
let token: string;
/** Every reading that was acknowledged: time and value. */
const acknowledged = new Map<number, number>();

beforeAll(async () => {
  service = await startService();
  ({ client } = await newPerson(service));
  ({ token } = await client.call('createDevice', {
    body: {
      name: 'Meter',
      newKind: {
        title: 'Meter',
        streams: [
          { key: 'count', title: 'Count', type: 'integer' },
          {
            key: 'double',
            title: 'Double',
            type: 'number',
            computation: { form: 'formula', formula: 'count * 2', gapS: 60 },
          },
          {
            key: 'total',
            title: 'Total',
            type: 'number',
            computation: { form: 'counter', of: 'count', restarts: 'never', zone: 'UTC' },
          },
          {
            key: 'again',
            title: 'Again',
            type: 'number',
            computation: { form: 'formula', formula: 'double + 1', gapS: 60 },
          },
        ],
      },
    },
  }));
});
afterAll(() => service.stop());

/** Reports one after the other until it is told to stop; what is not acknowledged is sent again. */
async function load(start: number, stopped: () => boolean): Promise<number> {
  let n = start;
  while (!stopped()) {
    const at = Date.now();
    try {
      const response = await fetch(`${service.url}/device/report`, {
        method: 'POST',
        headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
        body: JSON.stringify({ at, count: n }),
        signal: AbortSignal.timeout(5000),
      });
      if (response.status === 200) {
        acknowledged.set(at, n);
        n++;
      }
      await response.arrayBuffer();
    } catch {
      // Killed under it: sent again, with a new time.
    }
    await new Promise((resolve) => setTimeout(resolve, 5));
  }
  return n;
}

it('is computed from every acknowledged reading, once, though the service is killed again and again', async () => {
  let n = 1;
  for (let kill = 0; kill < KILLS; kill++) {
    let stop = false;
    const running = load(n, () => stop);
    const enough = acknowledged.size + 15;
    await until(() => acknowledged.size >= enough, 'that some are acknowledged', 60_000);
    await new Promise((resolve) => setTimeout(resolve, kill * 333));
    await service.program.kill();
    stop = true;
    n = await running;
    await service.restart(false).catch(() => service.restart());
  }
  const lines = async () => {
    const query = {
      streams: 'count,double,total,again',
      from: Date.now() - 600_000,
      to: Date.now() + 60_000,
    };
    return (await client.call('history', { params: { device: id }, query })).lines;
  };
  // Readings that were stored though their answer was cut off count too: all of them are looked at.
  const [count, double, total, again] = await until(
    async () => {
      const found = await lines();
      return found.every(({ times }) => times.length === found[0]!.times.length) && found;
    },
    'all that is computed',
    60_000,
  );
  expect(count!.times.length).toBeGreaterThanOrEqual(acknowledged.size);
  expect(acknowledged.size).toBeGreaterThan(50);
  const stored = new Map(count!.times.map((at, i) => [at, count!.values[i]!]));
  for (const [at, value] of acknowledged) expect([at, stored.get(at)]).toEqual([at, value]);
  let counted = 0;
  for (const [i, at] of count!.times.entries()) {
    const value = count!.values[i]!;
    const before = i === 0 ? value : count!.values[i - 1]!;
    counted += value >= before ? value - before : value;
    expect([at, double!.times[i], double!.values[i]]).toEqual([at, at, value * 2]);
    expect([at, again!.values[i]]).toEqual([at, value * 2 + 1]);
    expect([at, total!.values[i]]).toEqual([at, counted]);
  }
});
