import { setTimeout as sleep } from 'node:timers/promises';
import { ApiError, createClient } from '@peatmoor/contract';
import { checkWishes, type Recorded, type Wish } from './checker';
import type { Cluster } from './cluster';

/** How long a call is meant, and how long its caller waits for an answer, in ms. */
const MEANT_MS = 10_000;
const PATIENCE_MS = 12_000;
const RESTS_MS = [100, 700] as const;

export interface Steering {
  /** Holds what is on record against all that was wanted. */
  stop(): Promise<{ wishes: readonly Wish[]; problems: string[] }>;
}

/** Callers that want values of one control, each at a service of its own, whatever becomes of that: also while it stands still. */
export function startSteering(cluster: Cluster, key: string, device: string, random: () => number): Steering {
  const wishes: Wish[] = [];
  let stopped = false;
  let next = 0;
  const call = async (port: number): Promise<void> => {
    const client = createClient({
      baseUrl: `http://127.0.0.1:${port}`,
      headers: { authorization: `Bearer ${key}` },
      fetch: (input, init) => fetch(input, { ...init, signal: AbortSignal.timeout(PATIENCE_MS) }),
    });
    const began = Date.now();
    const wish: Wish = { value: ++next, began, ended: null, until: began + MEANT_MS, outcome: 'unknown' };
    wishes.push(wish);
    try {
      await client.call('createCommand', {
        params: { device },
        body: { stream: 'opening', value: wish.value, until: wish.until, at: began },
      });
      wish.outcome = 'taken';
      wish.ended = Date.now();
    } catch (error) {
      // Only what says so was surely not done; an answer of the balancer, or none, says nothing.
      if (error instanceof ApiError && error.problem.status === 409) wish.outcome = 'refused';
    }
  };
  const loops = cluster.servicePorts.map(async ({ http }) => {
    while (!stopped) {
      await call(http);
      await sleep(RESTS_MS[0] + random() * (RESTS_MS[1] - RESTS_MS[0]));
    }
  });
  return {
    async stop() {
      stopped = true;
      await Promise.all(loops);
      const connection = await cluster.connect(0);
      try {
        const rows = (await connection.query(
          'SELECT c.value, c.createdAt AS at, c.wantedAt FROM commands c JOIN devices d ON d.rowId = c.deviceRowId JOIN streams s ON s.id = c.streamId WHERE d.id = ? AND s.`key` = ? ORDER BY c.id',
          [device, 'opening'],
        )) as (Recorded & { wantedAt: number })[];
        const record = rows.map(({ value, at }) => ({ value: Number(value), at: Number(at) }));
        const problems = checkWishes(wishes, record);
        rows.forEach(({ value, wantedAt }, i) => {
          if (i > 0 && Number(wantedAt) < Number(rows[i - 1]!.wantedAt))
            problems.push(`${value} was wanted earlier by the database's time than the one BEFORE it.`);
        });
        return { wishes, problems };
      } finally {
        await connection.end();
      }
    },
  };
}
