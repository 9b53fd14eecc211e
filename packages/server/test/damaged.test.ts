import fs from 'node:fs';
import { pino } from 'pino';
import { createConnection, type Connection } from 'mariadb';
import { decodeChunk, mergeIntoChunks } from '../src/history/chunks';
import { createClient, type Client } from '@peatmoor/contract';
import { startMailCatcher, type MailCatcher } from '@peatmoor/standins';
import { inRawTransaction, openStore, type Store } from '../src/store/store';
import { retryingConnection } from '../src/store/retrying';
import {
  databaseOf,
  newDevice,
  newPerson,
  post,
  readingsOf,
  startService,
  until,
  type TestService,
} from '../../../test/support/service';

const DAY_MS = 86_400_000;
const log = pino({ level: 'silent' });
let service: TestService;
let client: Client;
let connection: Connection;
let token: string;
let key: string;
let mail: MailCatcher;

beforeAll(async () => {
  mail = await startMailCatcher();
  service = await startService({ TESTS_STANDS_SECONDS: '2', PEATMOOR_SMTP_URL: mail.smtpUrl });
  const person = await newPerson(service);
  ({ secret: key } = await person.client.call('createKey', { body: { title: 'test' } }));
  client = createClient({ baseUrl: service.url, headers: { authorization: `Bearer ${key}` } });
  ({ token } = await newDevice(client));
  connection = await connect();
});
afterAll(async () => {
  await connection.end().catch(() => undefined);
  await service.stop();
  await mail.stop();
});

async function connect(): Promise<Connection> {
  const one = await createConnection({ ...databaseOf(service), bigIntAsNumber: true });
  // The service, and with it the database, is started again in between.
  one.on('error', () => undefined);
  return one;
}

const params = { device: 'dipwell-north' };
/** Midnight of some day before today. */
const day = (back: number): number => (Math.floor(Date.now() / DAY_MS) - back) * DAY_MS;

describe('a chunk whose bytes are damaged', () => {
  const report = async (back: number): Promise<void> => {
    await post(
      service,
      token,
      Array.from({ length: 20 }, (_, i) => ({ at: day(back) + i * 60_000, level: i })),
    );
  };
  const damage = async (back: number): Promise<void> => {
    const { affectedRows } = (await connection.query('UPDATE chunks SET body = ?, hours = ? WHERE day = ?', [
      Buffer.from('not a chunk at all'),
      Buffer.from('nor hours'),
      day(back) / DAY_MS,
    ])) as { affectedRows: number };
    expect(affectedRows).toBe(1);
  };
  const ofDay = async (back: number): Promise<number> => {
    const { lines } = await client.call('history', {
      params,
      query: { streams: 'level', from: day(back), to: day(back) + DAY_MS },
    });
    return lines[0]!.values.length;
  };

  beforeAll(async () => {
    for (const back of [2, 3, 4, 5]) await report(back);
    // What is folded is not in memory any more.
    await service.restart(false);
    await connection.end();
    connection = await connect();
    await until(async () => {
      const rows = (await connection.query('SELECT DISTINCT day FROM chunks')) as unknown[];
      return rows.length === 4;
    }, 'folding');
    await until(
      async () =>
        ((await (await fetch(`${service.url}/health`)).json()) as { unfolded: { readings: number } }).unfolded
          .readings === 0,
    );
  });

  it('is a gap in history, in exports and in sums, is set aside, and owners read where', async () => {
    await damage(3);
    expect(await ofDay(3)).toBe(0);
    expect(await ofDay(2)).toBeGreaterThan(0);
    const text = await (
      await fetch(
        `${service.url}/api/devices/dipwell-north/export?format=csv&from=${day(5)}&to=${Date.now()}`,
        {
          headers: { authorization: `Bearer ${key}` },
        },
      )
    ).text();
    expect(text.trim().split('\n')).toHaveLength(1 + 3 * 20);
    const aside = await until(async () => {
      const rows = (await connection.query('SELECT what, place, LENGTH(body) AS bytes FROM setAside')) as {
        what: string;
        place: string;
        bytes: number;
      }[];
      return rows.length === 1 && rows[0];
    });
    expect(aside).toMatchObject({
      what: 'chunk',
      place: expect.stringContaining(
        `Dipwell North: Water level, ${new Date(day(3)).toISOString().slice(0, 10)}`,
      ),
      bytes: 18,
    });
    // The same day can be reported anew, and is read.
    await report(3);
    expect(await ofDay(3)).toBeGreaterThan(0);
  });

  it('in the way of deleting a day is set aside, and the day goes', async () => {
    await damage(4);
    await client.call('deleteReadings', {
      params,
      body: { stream: 'level', from: day(4), to: day(4) + DAY_MS } as never,
    });
    expect(await ofDay(4)).toBe(0);
    expect(await ofDay(5)).toBeGreaterThan(0);
  });
});

it('writing that fails in the middle of folding takes nothing away', async () => {
  const store: Store = await openStore(databaseOf(service), log);
  const [row] = (await connection.query('SELECT id FROM series LIMIT 1')) as { id: number }[];
  const id = row!.id;
  const start = day(40);
  const columns = (...minutes: number[]) => ({
    times: minutes.map((m) => start + m * 60_000),
    values: minutes,
  });
  const fold = (times: number[], fails: number): Promise<void> =>
    inRawTransaction(store, async (within) => {
      // The first so many times chunks are written, the disk says no.
      let left = fails;
      const failing = new Proxy(within, {
        get: (target, name) => {
          const value: unknown = Reflect.get(target, name, target);
          if (typeof value !== 'function') return value;
          return (...given: unknown[]) =>
            name === 'batch' && String(given[0]).startsWith('REPLACE INTO chunks') && left-- > 0
              ? Promise.reject(new Error('injected'))
              : (value as (...all: unknown[]) => unknown).apply(target, given);
        },
      });
      const other = { times: [start + 5 * DAY_MS], values: [1] };
      await mergeIntoChunks(
        failing,
        new Map([
          [
            id,
            { times: [...columns(...times).times, ...other.times], values: [...columns(...times).values, 1] },
          ],
        ]),
      );
    });
  const stored = async (): Promise<number[]> => {
    const rows = (await connection.query(
      'SELECT body FROM chunks WHERE seriesId = ? AND day = ? ORDER BY part',
      [id, start / DAY_MS],
    )) as { body: Buffer }[];
    return rows.flatMap(({ body }) => [...decodeChunk(body).values]);
  };
  await fold([1, 3, 5], 0);
  await fold([2, 4, 6], 1);
  expect((await stored()).sort()).toEqual([1, 2, 3, 4, 5, 6]);
  await store.close();
});

it('a statement that met another is tried again, one inside a transaction is not', async () => {
  let failures = 2;
  const statements: string[] = [];
  const real = {
    query: (sql: string) => {
      statements.push(sql);
      return failures-- > 0
        ? Promise.reject(Object.assign(new Error('conflict'), { errno: 1213 }))
        : Promise.resolve('done');
    },
    beginTransaction: () => Promise.resolve(),
    commit: () => Promise.resolve(),
  };
  const face = retryingConnection(real as unknown as Connection);
  expect(await face.query('UPDATE one')).toBe('done');
  expect(statements).toHaveLength(3);
  failures = 1;
  await face.beginTransaction();
  await expect(face.query('UPDATE two')).rejects.toThrow('conflict');
  await face.commit();
});

describe('a table that is missing', () => {
  it('is a trouble for owners and in health once something has stood still, with the table and the way on', async () => {
    const kindId = (await client.call('readDevice', { params })).kindId;
    await client.call('createRule', {
      body: { title: 'High', kindId, stream: 'level', comparison: 'above', limit: 0 },
    });
    await connection.query('RENAME TABLE ruleStates TO ruleStatesAway');
    await post(service, token, { level: 50 });
    const trouble = await until(
      async () => (await client.call('listTroubles')).find(({ what }) => what === 'work'),
      'a trouble',
      60_000,
    );
    expect(trouble.found).toMatch(
      /^Watching by event rules has stood still for .*: the table ruleStates is missing or damaged\.$/,
    );
    expect(trouble.remedy).toMatch(/restore a backup/);
    const health = (await (await fetch(`${service.url}/health`)).json()) as { troubles: { what: string }[] };
    expect(health.troubles.some(({ what }) => what === 'work')).toBe(true);
    // Owners are written to.
    await until(
      () => mail.mails().some(({ subject }) => /^Peatmoor: work: Watching/.test(subject)),
      'a mail',
      60_000,
    );
    // Nothing was set aside for it: brought back, the rule opens.
    await connection.query('RENAME TABLE ruleStatesAway TO ruleStates');
    await until(async () => (await client.call('listEvents')).length > 0, 'the event', 60_000);
    await until(
      async () => (await client.call('listTroubles')).every(({ what }) => what !== 'work'),
      'its end',
      60_000,
    );
  });

  it('is said at a start', async () => {
    await connection.query('RENAME TABLE ruleStates TO ruleStatesAway');
    await service.restart(false);
    const troubles = await client.call('listTroubles');
    expect(troubles.find(({ what }) => what === 'tables')?.found).toMatch(
      /1 table is missing in the database: ruleStates/,
    );
    expect((await readingsOf(client, 'dipwell-north', 'level')).length).toBeGreaterThan(0);
    await connection.end();
    connection = await connect();
    await connection.query('RENAME TABLE ruleStatesAway TO ruleStates');
  });

  it('that holds the newest readings is said at a start that cannot go on without it, in a sentence', async () => {
    await connection.end();
    await service.program.stop();
    const file = `${service.dataFolder}/mariadb/peatmoor/journal.ibd`;
    const whole = fs.readFileSync(file);
    const bytes = Buffer.from(whole);
    // Every page after those that say what the file is.
    for (let page = 3 * 16_384; page < bytes.length; page += 16_384)
      bytes.fill('rust', page + 60, page + 260);
    fs.writeFileSync(file, bytes);
    const refused = await service.restart(false).then(
      () => '',
      (error: Error) => error.message.trim().split('\n').at(-1)!,
    );
    expect(refused).toBe(
      'The table "journal" of the database is missing or damaged, and the service cannot start without it: it holds the newest readings. Nothing was changed. Stop the service, keep a copy of its data folder, and restore a backup with "peatmoor restore". The disk may be failing.',
    );
    fs.writeFileSync(file, whole);
    await service.restart(false);
    connection = await connect();
    expect((await readingsOf(client, 'dipwell-north', 'level')).length).toBeGreaterThan(0);
  });
});
