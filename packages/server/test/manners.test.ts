import { randomUUID } from 'node:crypto';
import { ApiError, endpoints, PROBLEMS, type Client, type Endpoint } from '@peatmoor/contract';
import {
  newDevice,
  newPerson,
  startService,
  type Person,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let person: Person;
let client: Client;
let bearer: string;

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  ({ client } = person);
  bearer = (await client.call('createKey', { body: { title: 'Test' } })).secret;
});
afterAll(() => service.stop());

const send = async (
  method: string,
  path: string,
  body?: unknown,
  headers: Record<string, string> = {},
): Promise<{ status: number; headers: Headers; body: never }> => {
  const response = await fetch(service.url + path, {
    method,
    headers: { authorization: `Bearer ${bearer}`, 'content-type': 'application/json', ...headers },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  });
  const text = await response.text();
  return {
    status: response.status,
    headers: response.headers,
    body: (text === '' ? null : JSON.parse(text)) as never,
  };
};
const post = (path: string, body: unknown, key: string) =>
  send('POST', path, body, { 'idempotency-key': key });
const codeOf = ({ body }: { body: unknown }): string => (body as { type: string }).type;

describe('a list', () => {
  it('is given a page at a time, in an order that stays while things come and go', async () => {
    for (let i = 0; i < 7; i++) await client.call('createKind', { body: { title: `Paged ${i}` } });
    const seen: number[] = [];
    let path: string | undefined = '/api/kinds?text=PAGED&limit=2';
    for (let page = 0; path !== undefined; page++) {
      const answer: { headers: Headers; body: never } = await send('GET', path);
      const kinds = answer.body as { id: number; title: string }[];
      expect(kinds.length).toBeLessThanOrEqual(2);
      seen.push(...kinds.map(({ id }) => id));
      path = /^<([^>]+)>; rel="next"$/.exec(answer.headers.get('link') ?? '')?.[1];
      // What the page ended with is deleted, and something is added ahead of it: neither hides nor doubles the others.
      if (page === 1) {
        await client.call('deleteKind', { params: { kind: seen.at(-1)! } });
        await client.call('createKind', { body: { title: 'Paged' } });
      }
    }
    expect(new Set(seen).size).toBe(seen.length);
    expect(seen).toHaveLength(7);
    expect(await client.call('listKinds', { query: { text: 'paged', limit: 3 } })).toHaveLength(3);
    expect(await client.call('listKinds', { query: { text: 'paged' } })).toHaveLength(7);
    expect(await client.call('listKinds', { query: { text: '%' } })).toEqual([]);
  });

  it('is read to its end by the typed client, however long it is', async () => {
    const csv = ['name,kind', ...Array.from({ length: 612 }, (_, i) => `Many ${i},Many`)].join('\n');
    await client.call('createKind', { body: { title: 'Many' } });
    for (const part of [csv.split('\n').slice(0, 401), [csv.split('\n')[0]!, ...csv.split('\n').slice(401)]])
      await client.call('createDevices', { body: { csv: part.join('\n') } });
    const all = await client.call('listDevices', { query: { text: 'many ' } });
    expect(new Set(all.map(({ id }) => id)).size).toBe(612);
  });

  it.each([
    'limit=0',
    'limit=501',
    'limit=x',
    'after=',
    'after=bm8',
    'after=W10',
    'after=W3t9LDFd',
    'colour=red',
  ])('refuses the query %s with its field', async (query) => {
    for (const { path, method, pages } of Object.values(endpoints) as Endpoint[]) {
      if (method !== 'GET' || pages === undefined || path.includes(':')) continue;
      const answer = await send('GET', `${path}?${query}`);
      expect([path, answer.status]).toEqual([path, 422]);
    }
  });

  it('is filtered by what it is asked for', async () => {
    const { device, token } = await newDevice(client, 'Filtered');
    await client.call('changeDevice', {
      params: { device: device.id },
      body: { labels: ['north "end"', 'x_y'] },
    });
    const ids = async (query: object) => (await client.call('listDevices', { query })).map(({ id }) => id);
    expect(await ids({ label: 'north "end"' })).toEqual(['filtered']);
    expect(await ids({ label: 'north' })).toEqual([]);
    expect(await ids({ label: 'xzy' })).toEqual([]);
    expect(await ids({ kind: device.kindId })).toEqual(['filtered']);
    expect(await ids({ gateway: 'filtered' })).toEqual([]);
    for (const value of ['{"level":1}', '{"nonsense":1}'])
      await fetch(`${service.url}/device/report`, {
        method: 'POST',
        headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
        body: value,
      });
    const arrivals = async (query: object) =>
      (await client.call('listArrivals', { params: { device: 'filtered' }, query })).map(
        ({ refusedCount }) => refusedCount,
      );
    expect(await arrivals({})).toEqual([1, 0]);
    expect(await arrivals({ outcome: 'refused' })).toEqual([1]);
    expect(await arrivals({ outcome: 'accepted' })).toEqual([0]);
    expect(await arrivals({ to: 1000 })).toEqual([]);
    expect(await arrivals({ limit: 1 })).toEqual([1]);
    const tokens = async (query: object) =>
      (await client.call('listTokens', { params: { device: 'filtered' }, query })).length;
    expect([await tokens({ state: 'in-use' }), await tokens({ state: 'withdrawn' })]).toEqual([1, 0]);
  });
});

describe('a call with an Idempotency-Key', () => {
  it('is done once, and gives the same answer again, secrets and all', async () => {
    const key = randomUUID();
    const body = { name: 'Once', id: 'once', newKind: { title: 'Once' } };
    const first = await post('/api/devices', body, key);
    expect(first.status).toBe(201);
    const again = await post('/api/devices', body, key);
    expect([again.status, again.body]).toEqual([201, first.body]);
    expect((again.body as { token: string }).token).toMatch(/^moor/);
    // With another key it is another call, and the ID is taken.
    expect((await post('/api/devices', body, randomUUID())).status).toBe(422);
  });

  it('is done once also where many come at the same time', async () => {
    const key = randomUUID();
    const before = (await client.call('listKeys')).length;
    const answers = await Promise.all(
      Array.from({ length: 12 }, () => post('/api/keys', { title: 'Raced' }, key)),
    );
    const secrets = answers
      .filter(({ status }) => status === 201)
      .map(({ body }) => (body as { secret: string }).secret);
    expect(new Set(secrets).size).toBe(1);
    for (const answer of answers.filter(({ status }) => status !== 201))
      expect([answer.status, codeOf(answer), answer.headers.get('retry-after')]).toEqual([
        409,
        '/problems/still-under-way',
        '1',
      ]);
    expect(await client.call('listKeys')).toHaveLength(before + 1);
  });

  it('may be sent again with the same key after a refusal', async () => {
    const key = randomUUID();
    expect((await post('/api/kinds', { title: '' }, key)).status).toBe(422);
    expect((await post('/api/kinds', { title: 'Mended' }, key)).status).toBe(201);
  });

  it('refuses a key that came with another call, or is too easy to guess', async () => {
    const key = randomUUID();
    await post('/api/kinds', { title: 'First' }, key);
    expect(codeOf(await post('/api/kinds', { title: 'Second' }, key))).toBe('/problems/key-used-otherwise');
    expect(codeOf(await post('/api/dashboards', { title: 'First' }, key))).toBe(
      '/problems/key-used-otherwise',
    );
    for (const bad of ['1', 'x'.repeat(256), 'with a space in it'])
      expect((await post('/api/kinds', { title: 'Guessed' }, bad)).status).toBe(422);
  });

  it('keeps apart what different callers send with the same key', async () => {
    const key = randomUUID();
    const mine = await post('/api/kinds', { title: 'Mine' }, key);
    const other = await newPerson(service);
    const theirs = await other.client.call('createKind', { body: { title: 'Mine' }, once: key });
    expect(theirs.id).not.toBe((mine.body as { id: number }).id);
  });

  it('signs in again by the same key, cookie and all', async () => {
    const key = randomUUID();
    const body = { email: person.email, password: person.password };
    const cookies: (string | null)[] = [];
    for (let i = 0; i < 2; i++) {
      const response = await fetch(`${service.url}/api/session`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', 'idempotency-key': key },
        body: JSON.stringify(body),
      });
      expect(response.status).toBe(200);
      cookies.push(response.headers.get('set-cookie'));
    }
    expect(cookies[0]).toContain('peatmoor_session=');
    expect(cookies[1]).toBe(cookies[0]);
  });
});

describe('a change with If-Match', () => {
  const path = async () => {
    const kind = await client.call('createKind', { body: { title: 'Versioned' } });
    return `/api/kinds/${kind.id}`;
  };

  it('is made to the version it names, and gives the next', async () => {
    const at = await path();
    const read = await send('GET', at);
    const etag = read.headers.get('etag')!;
    expect(etag).toMatch(/^"\d+"$/);
    const changed = await send('PATCH', at, { title: 'Changed' }, { 'if-match': etag });
    expect(changed.status).toBe(200);
    expect(changed.headers.get('etag')).not.toBe(etag);
    expect((await send('GET', at)).headers.get('etag')).toBe(changed.headers.get('etag'));
    const late = await send('PATCH', at, { title: 'Late' }, { 'if-match': etag });
    expect([late.status, codeOf(late)]).toEqual([412, '/problems/changed-meanwhile']);
    expect(((await send('GET', at)).body as { title: string }).title).toBe('Changed');
    for (const tag of ['"0"', `W/${changed.headers.get('etag')}`, '"other"'])
      expect((await send('PATCH', at, { title: 'Late' }, { 'if-match': tag })).status).toBe(412);
    expect((await send('PATCH', at, { title: 'Late' }, { 'if-match': 'five' })).status).toBe(422);
    expect((await send('PATCH', at, { title: 'Any' }, { 'if-match': '*' })).status).toBe(200);
    expect((await send('PATCH', '/api/kinds/999999', { title: 'No' }, { 'if-match': '"1"' })).status).toBe(
      404,
    );
  });

  it('lets one of many through that start from the same version', async () => {
    const at = await path();
    const etag = (await send('GET', at)).headers.get('etag')!;
    const answers = await Promise.all(
      Array.from({ length: 10 }, (_, i) => send('PATCH', at, { title: `Racer ${i}` }, { 'if-match': etag })),
    );
    const won = answers.filter(({ status }) => status === 200);
    expect(won).toHaveLength(1);
    expect(answers.filter(({ status }) => status === 412)).toHaveLength(9);
    expect(((await send('GET', at)).body as { title: string }).title).toBe(
      (won[0]!.body as { title: string }).title,
    );
  });

  it('keeps its version after a change that was refused', async () => {
    const at = await path();
    const etag = (await send('GET', at)).headers.get('etag')!;
    const stream = { key: 'level', title: 'Level', type: 'number', unit: 'a furlong' };
    expect((await send('POST', `${at}/streams`, stream, { 'if-match': etag })).status).toBe(422);
    const made = await send('POST', `${at}/streams`, { ...stream, unit: 'mm' }, { 'if-match': etag });
    expect(made.status).toBe(201);
    // A datastream belongs to its kind's version.
    expect(made.headers.get('etag')).toBe((await send('GET', at)).headers.get('etag'));
    expect((await send('DELETE', at, undefined, { 'if-match': etag })).status).toBe(412);
    const now = made.headers.get('etag')!;
    expect((await send('DELETE', at, undefined, { 'if-match': now })).status).toBe(204);
  });

  it.each(['me', 'device', 'dashboard', 'rule', 'person'])('works for a %s', async (what) => {
    const { device } = await newDevice(client, `Held ${what}`);
    const at = {
      me: '/api/me',
      device: `/api/devices/${device.id}`,
      dashboard: `/api/dashboards/${(await client.call('createDashboard', { body: { title: 'Held' } })).id}`,
      rule: `/api/rules/${(await client.call('createRule', { body: { title: 'Held', deviceId: device.id, stream: 'level', comparison: 'above', limit: 5 } })).id}`,
      person: `/api/people/${(await client.call('addPerson', { body: { name: 'Held', role: 'viewer' } })).person.id}`,
    }[what]!;
    const version =
      what === 'person'
        ? (await client.call('listPeople')).find(({ id }) => at.endsWith(id))!.version
        : ((await send('GET', at)).body as { version: number }).version;
    const [method, body] = {
      me: ['PATCH', { name: 'Held' }] as const,
      device: ['PATCH', { notes: 'Held' }] as const,
      dashboard: ['PUT', { version, title: 'Held again', widgets: [] }] as const,
      rule: [
        'PUT',
        { title: 'Held again', deviceId: device.id, stream: 'level', comparison: 'above', limit: 6 },
      ] as const,
      person: ['PATCH', { role: 'editor' }] as const,
    }[what]!;
    const first = await send(method, at, body, { 'if-match': `"${version}"` });
    expect(first.status).toBe(200);
    expect((await send(method, at, body, { 'if-match': `"${version}"` })).status).toBe(412);
  });
});

describe('a problem', () => {
  it('has a type that leads to a page about it, for every sort there is', async () => {
    for (const [code, { title, remedy }] of Object.entries(PROBLEMS)) {
      const response = await fetch(`${service.url}/problems/${code}`);
      expect(response.headers.get('content-type')).toMatch(/^text\/html/);
      const text = await response.text();
      expect(text).toContain(title);
      expect(text).toContain(remedy.replaceAll('"', '&quot;'));
    }
    expect((await fetch(`${service.url}/problems/constructor`)).status).toBe(404);
    const index = await (await fetch(`${service.url}/problems`)).text();
    expect(index.match(/href="\/problems\//g)).toHaveLength(Object.keys(PROBLEMS).length);
  });

  it('is thrown by the typed client with that type', async () => {
    const error = await client.call('readKind', { params: { kind: 999_999 } }).catch((one: unknown) => one);
    expect((error as ApiError).problem.type).toBe('/problems/not-found');
  });
});
