import type { ManagedDatabase } from '@peatmoor/server';
import mariadb, { type Connection } from 'mariadb';

const READINGS_A_BATCH = 1000;

/** A body of 1,000 readings, each a second apart and none sent before. */
function nextTimes(counter: { next: number }): number[] {
  const start = counter.next;
  counter.next += READINGS_A_BATCH;
  // Ten years hold enough seconds for every batch of a run; nothing is sent twice.
  const oldest = Date.now() - 9 * 366 * 86_400_000;
  return Array.from({ length: READINGS_A_BATCH }, (_, i) => oldest + (start + i) * 1000);
}

export type Written = 'SenML' | 'CSV';

/** Posts batches of 1,000 readings over a few connections; gives readings a second. */
export async function batchLoad(
  written: Written,
  options: { url: string; token: string; ms: number; connections: number; counter: { next: number } },
): Promise<number> {
  const { url, token, ms, connections, counter } = options;
  const body = (): string => {
    const times = nextTimes(counter);
    return written === 'CSV'
      ? `at,level\n${times.map((at, i) => `${at},${-120 - (i % 50) / 10}`).join('\n')}`
      : JSON.stringify(times.map((at, i) => ({ n: 'level', t: at / 1000, v: -120 - (i % 50) / 10 })));
  };
  // Made before the clock runs: the generator is not what is measured.
  const ready = Array.from({ length: 400 }, body);
  const type = written === 'CSV' ? 'text/csv' : 'application/senml+json';
  const end = performance.now() + ms;
  const start = performance.now();
  let readings = 0;
  const work = async (): Promise<void> => {
    while (performance.now() < end && ready.length > 0) {
      const response = await fetch(`${url}/device/report`, {
        method: 'POST',
        headers: { authorization: `Bearer ${token}`, 'content-type': type },
        body: ready.pop()!,
      });
      const answer = (await response.json()) as { accepted: number; refused: object[] };
      if (answer.accepted !== READINGS_A_BATCH)
        throw new Error(`a batch was refused: ${response.status} ${JSON.stringify(answer).slice(0, 300)}`);
      readings += answer.accepted;
    }
  };
  await Promise.all(Array.from({ length: connections }, work));
  return (readings * 1000) / (performance.now() - start);
}

/** The plain way: the connector's own batch() of rows into a table with a key, over a few connections. */
export async function rowLoad(
  database: Pick<ManagedDatabase, 'socketPath' | 'user' | 'password' | 'database'>,
  options: { ms: number; connections: number; counter: { next: number } },
): Promise<number> {
  const { ms, connections, counter } = options;
  const { socketPath, user, password } = database;
  const open = (): Promise<Connection> =>
    mariadb.createConnection({ socketPath, user, password, database: database.database });
  const lines = await Promise.all(Array.from({ length: connections }, open));
  await lines[0]!.query(
    'CREATE TABLE IF NOT EXISTS benchRows (seriesId INT UNSIGNED NOT NULL, at BIGINT NOT NULL, value DOUBLE NOT NULL, PRIMARY KEY (seriesId, at))',
  );
  const start = performance.now();
  let readings = 0;
  const work = async (line: Connection): Promise<void> => {
    while (performance.now() - start < ms) {
      const rows = nextTimes(counter).map((at, i) => [1, at, -120 - (i % 50) / 10]);
      await line.batch('REPLACE INTO benchRows (seriesId, at, value) VALUES (?, ?, ?)', rows);
      readings += rows.length;
    }
  };
  await Promise.all(lines.map(work));
  const rate = (readings * 1000) / (performance.now() - start);
  for (const line of lines) await line.end();
  return rate;
}
