import { createUnderWay } from '../src/api/underWay';
import { createConnection } from 'mariadb';
import { databaseOf, newPerson, startService, until, type TestService } from '../../../test/support/service';

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterAll(() => service.stop());

const settled = () => new Promise((resolve) => setImmediate(resolve));

describe('calls of one caller', () => {
  it('have their turns in order, a bounded number at once, and 503 beyond what may wait', async () => {
    const underWay = createUnderWay();
    const begun: number[] = [];
    const ends: (() => void)[] = [];
    const enter = (n: number) =>
      underWay.enter('key', '1').then((end) => {
        begun.push(n);
        ends.push(end);
      });
    for (let n = 0; n < 68; n++) void enter(n);
    await settled();
    expect(begun).toEqual([0, 1, 2, 3, 4, 5, 6, 7]);
    await expect(enter(68)).rejects.toMatchObject({ code: 'too-many-at-once', status: 503, retryAfterS: 1 });
    // Another caller has turns of their own.
    await expect(underWay.enter('key', '2')).resolves.toBeInstanceOf(Function);
    // Ended twice it counts once.
    ends[0]!();
    ends[0]!();
    await settled();
    expect(begun).toEqual([0, 1, 2, 3, 4, 5, 6, 7, 8]);
    for (let n = 1; n < 68; n++) {
      ends[n]!();
      await settled();
    }
    expect(begun).toHaveLength(68);
    expect(underWay.count()).toBe(1);
  });

  it('that nobody waits for any more are passed over', async () => {
    const underWay = createUnderWay();
    const gone = new Set<number>();
    const begun: number[] = [];
    const ends = await Promise.all(Array.from({ length: 8 }, () => underWay.enter('person', '1')));
    for (let n = 0; n < 4; n++)
      void underWay.enter('person', '1', () => gone.has(n)).then(() => begun.push(n));
    gone.add(0).add(1);
    ends[0]!();
    await settled();
    expect(begun).toEqual([2]);
  });
});

it('a flood of one key is answered 503 with Retry-After, and all that was taken is done; keys of repeated calls are bounded', async () => {
  const { client } = await newPerson(service);
  const { secret } = await client.call('createKey', { body: { title: 'flood' } });
  const headers = { authorization: `Bearer ${secret}` };
  const connection = await createConnection(databaseOf(service));
  // Calls take as long as this table is held: how fast the machine is makes no difference.
  await connection.query('LOCK TABLES kinds WRITE');
  let known = 0;
  const calls = Array.from({ length: 300 }, () =>
    fetch(`${service.url}/api/kinds`, { headers }).then(async (answer) => {
      await answer.arrayBuffer();
      known++;
      return [answer.status, answer.headers.get('retry-after')] as const;
    }),
  );
  await until(() => known >= 170);
  await connection.query('UNLOCK TABLES');
  const answers = await Promise.all(calls);
  const refused = answers.filter(([status]) => status === 503);
  expect(refused.length).toBeGreaterThanOrEqual(170);
  expect(refused.every(([, after]) => after === '1')).toBe(true);
  expect(answers.filter(([status]) => status === 200).length).toBe(300 - refused.length);

  // What only looks keeps nothing; what changes something keeps its answer, a bounded number of bytes for each caller.
  const kept = async (): Promise<{ rows: number; bytes: number }> => {
    const [row] = (await connection.query(
      'SELECT COUNT(*) AS rows_, COALESCE(SUM(LENGTH(answer)), 0) AS bytes FROM repeats',
    )) as { rows_: number; bytes: number }[];
    return { rows: Number(row!.rows_), bytes: Number(row!.bytes) };
  };
  const post = (path: string, key: string, body: object) =>
    fetch(`${service.url}${path}`, {
      method: 'POST',
      headers: { ...headers, 'content-type': 'application/json', 'idempotency-key': key.padEnd(20, 'x') },
      body: JSON.stringify(body),
    });
  expect((await post('/api/tokens/whose', 'looks', { text: 'moorabcdefgh' })).status).toBe(200);
  expect(await kept()).toEqual({ rows: 0, bytes: 0 });
  const made = await post('/api/kinds', 'once', { title: 'Once' });
  expect(await (await post('/api/kinds', 'once', { title: 'Once' })).json()).toEqual(await made.json());
  expect((await kept()).rows).toBe(1);
  // As if there had been very large ones before.
  await connection.query('UPDATE repeats SET bytes = 3000000');
  await post('/api/kinds', 'twice', { title: 'Twice' });
  // The older answers go, never the newest: whoever repeats that call is given it.
  const { rows, bytes } = await kept();
  expect(rows).toBe(2);
  expect(bytes).toBeGreaterThan(0);
  expect((await post('/api/kinds', 'twice', { title: 'Twice' })).status).toBe(201);
  expect(((await (await fetch(`${service.url}/api/kinds`, { headers })).json()) as unknown[]).length).toBe(2);
  const again = await post('/api/kinds', 'once', { title: 'Once' });
  expect([again.status, ((await again.json()) as { type: string }).type]).toEqual([
    409,
    '/problems/outcome-not-known',
  ]);
  await connection.end();
});
