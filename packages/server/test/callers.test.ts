import { once } from 'node:events';
import { WebSocket } from 'ws';
import {
  endpoints,
  LIVE_PATH,
  type Client,
  type Endpoint,
  type LiveMessage,
  type WatchMessage,
} from '@peatmoor/contract';
import {
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let person: Person;
let client: Client;

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  ({ client } = person);
  await newDevice(client);
});
afterAll(() => service.stop());

const call = (method: string, path: string, init: { headers?: Record<string, string>; body?: string } = {}) =>
  fetch(service.url + path, { method, redirect: 'manual', ...init });

describe('every route with every wrong shape', () => {
  const paths = [
    '1',
    '0',
    '-1',
    '999999999',
    'constructor',
    '__proto__',
    'toString',
    '%00',
    '%FF',
    'dipwell-north',
    'x'.repeat(300),
  ];
  const wrong: unknown[] = [
    null,
    [],
    'text',
    7,
    true,
    { constructor: 1, toString: 2, __proto__: { a: 1 } },
    {
      title: {},
      name: [],
      key: 5,
      email: {},
      password: [],
      stream: {},
      value: { a: 1 },
      widgets: 5,
      csv: {},
      values: 3,
    },
    {
      title: 'x',
      name: 'x',
      stream: 'constructor',
      key: 'toString',
      deviceId: 'constructor',
      kindId: 1e300,
      devices: [{}],
    },
    {
      title: 'x'.repeat(5000),
      name: '\u0000',
      from: -1,
      to: 'soon',
      labels: [[[]]],
      place: { lat: {} },
      limit: 'NaN',
    },
    {
      widgets: [{ type: 'constructor' }, null, 5],
      emails: [{}],
      computation: { form: 'constructor' },
      calibration: { form: 'toString' },
    },
    {
      stream: { key: 'constructor', title: 't', type: 'toString', computation: { form: '__proto__' } },
      value: null,
    },
  ];
  const deep = `${'{"a":'.repeat(100_000)}1${'}'.repeat(100_000)}`;
  const queries = [
    '',
    '?limit=x&from=y&to=z&streams[]=1',
    '?streams=constructor&from=0&to=1e99&buckets=-1',
    '?stream[a][b]=1&step=toString&zone=constructor&from=0&to=1',
    // Greater than any number: as JSON and as text it is read as infinite.
    ...['from', 'to', 'since'].flatMap((name) => [`?${name}=1e400`, `?${name}=-1e300`]),
    '?streams=level&from=-1e400&to=1e400',
    '?stream=level&from=-1e400&to=1e400&step=day',
  ];
  const endless =
    '{"limit":1e400,"from":-1e400,"to":1e400,"at":1e400,"value":1e400,"title":"x","name":"x","stream":"level","deviceId":"dipwell-north","comparison":"above","text":"x"}';

  it('answers in words, never with a fault', async () => {
    const faults: string[] = [];
    const routes = Object.entries(endpoints as unknown as Record<string, Endpoint>).filter(
      // These would sign the caller out, or make very many accounts.
      ([name]) => !['signOut', 'createAccount', 'signIn'].includes(name),
    );
    for (const [name, { method, path }] of routes) {
      const some = path.includes(':') ? paths : ['1'];
      for (const one of some) {
        const place = path.replace(/:\w+/g, one);
        const tries =
          method === 'GET'
            ? queries.map((query) => [query, undefined] as const)
            : [
                ...wrong.map((body) => ['', JSON.stringify(body)] as const),
                ['', deep] as const,
                ['', endless] as const,
              ];
        for (const [query, body] of one === some[0] || one === 'dipwell-north' ? tries : tries.slice(5, 7)) {
          const response = await call(method, place + query, {
            headers: {
              cookie: person.cookie(),
              'sec-fetch-site': 'same-origin',
              'content-type': 'application/json',
            },
            ...(body !== undefined && { body }),
          });
          await response.arrayBuffer();
          if (response.status >= 500)
            faults.push(`${name} ${place.slice(0, 60)}${query} ${body?.slice(0, 80)}: ${response.status}`);
        }
      }
    }
    expect(faults).toEqual([]);
  }, 180_000);

  it('also where somebody signs in or makes an account', async () => {
    for (const path of ['/api/session', '/api/account'])
      for (const body of [...wrong.map((one) => JSON.stringify(one)), deep, '{', '']) {
        const response = await call('POST', path, { headers: { 'content-type': 'application/json' }, body });
        expect([path, body.slice(0, 60), response.status < 500]).toEqual([path, body.slice(0, 60), true]);
      }
  });
});

describe('a call that changes something', () => {
  const body = JSON.stringify({ title: 'x' });
  const headers = (more: Record<string, string>): Record<string, string> => ({
    cookie: person.cookie(),
    'content-type': 'application/json',
    ...more,
  });

  it.each([
    ['of a page that hides its address', { origin: 'null' }],
    ['of a page of another address', { origin: 'http://127.0.0.1:1' }],
    ['of an unreadable origin', { origin: 'file:///x' }],
    ['that says nothing of where it comes from', {}],
    ['of another site, as the browser says', { 'sec-fetch-site': 'same-site' }],
  ])('by cookie %s is refused', async (_what, more) => {
    expect((await call('POST', '/api/kinds', { headers: headers(more as never), body })).status).toBe(403);
  });

  it('of a page of the service itself is taken, and of a program with a key', async () => {
    expect(
      (await call('POST', '/api/kinds', { headers: headers({ origin: service.url }), body })).status,
    ).toBe(201);
    const { secret } = await client.call('createKey', { body: { title: 'program' } });
    const answer = await call('POST', '/api/kinds', {
      headers: { authorization: `Bearer ${secret}`, 'content-type': 'application/json' },
      body: JSON.stringify({ title: 'Of a program' }),
    });
    expect(answer.status).toBe(201);
  });
});

describe('an open page', () => {
  const open = async (
    headers: Record<string, string>,
  ): Promise<{ page: WebSocket; closed: Promise<number> }> => {
    const page = new WebSocket(service.url.replace('http', 'ws') + LIVE_PATH, { headers });
    page.on('error', () => undefined);
    const closed = once(page, 'close').then(([code]) => code as number);
    await once(page, 'message');
    return { page, closed };
  };

  it('ends when its session does', async () => {
    const other = await newPerson(service, 'Ranger');
    const { closed } = await open({ cookie: other.cookie() });
    await other.client.call('signOut');
    expect(await closed).toBe(4401);
  });

  it('ends when its access key does', async () => {
    const { id, secret } = await client.call('createKey', { body: { title: 'page' } });
    const { closed } = await open({ authorization: `Bearer ${secret}` });
    await client.call('deleteKey', { params: { key: id } });
    expect(await closed).toBe(4401);
  });

  it('hears readings and messages only of the devices it says it shows', async () => {
    const made = [await newDevice(client, 'Heard'), await newDevice(client, 'Not heard')];
    const { page } = await open({ cookie: person.cookie() });
    const heard: LiveMessage[] = [];
    page.on('message', (data: Buffer) => heard.push(JSON.parse(data.toString()) as LiveMessage));
    const report = async (): Promise<void> => {
      for (const { token } of made) await post(service, token, { level: -100 });
      await new Promise((resolve) => setTimeout(resolve, 400));
    };
    const of = (type: LiveMessage['type']): string[] => [
      ...new Set(
        heard.flatMap((one) =>
          one.type !== type
            ? []
            : one.type === 'readings'
              ? one.device
              : one.type === 'arrival'
                ? one.arrival.deviceId
                : '',
        ),
      ),
    ];
    await report();
    expect([of('readings'), of('arrival')]).toEqual([[], []]);
    page.send(JSON.stringify({ type: 'watch', devices: ['heard'], arrivals: [] } satisfies WatchMessage));
    // What it missed before it asked comes at once.
    await until(() => of('watching').length > 0 && of('readings').length > 0);
    await report();
    expect([of('readings'), of('arrival')]).toEqual([['heard'], []]);
    page.send(JSON.stringify({ type: 'watch', devices: [], arrivals: 'all' } satisfies WatchMessage));
    await until(() => heard.filter(({ type }) => type === 'watching').length === 2);
    heard.length = 0;
    await report();
    expect([of('readings'), of('arrival').sort()]).toEqual([[], ['heard', 'not-heard']]);
    page.terminate();
  });

  it.each([
    ['what is no JSON', '{'],
    ['another message', '{"type":"shout"}'],
    ['devices that are no list', '{"type":"watch","devices":{}}'],
    ['too many devices', JSON.stringify({ type: 'watch', devices: Array.from({ length: 2001 }, () => 'a') })],
    ['too long a name', JSON.stringify({ type: 'watch', devices: ['x'.repeat(81)] })],
    ['null', 'null'],
  ])('that sends %s is closed, and nobody else', async (_what, text) => {
    const calm = await open({ cookie: person.cookie() });
    const { page, closed } = await open({ cookie: person.cookie() });
    page.send(text);
    expect(await closed).toBe(1008);
    expect(calm.page.readyState).toBe(WebSocket.OPEN);
    calm.page.terminate();
  });

  it('that sends without end is closed', async () => {
    const { page, closed } = await open({ cookie: person.cookie() });
    for (let i = 0; i < 100; i++) page.send('{"type":"watch","devices":["heard"]}');
    expect(await closed).toBe(1008);
  });

  it('of another address, or of one that hides it, is not let in', async () => {
    for (const origin of ['null', 'http://127.0.0.1:1']) {
      const page = new WebSocket(service.url.replace('http', 'ws') + LIVE_PATH, {
        headers: { cookie: person.cookie(), origin },
      });
      const [error] = (await once(page, 'error')) as [Error];
      expect(error.message).toContain('401');
    }
  });
});

describe('signing in', () => {
  it('is bounded for an account, wherever it is tried from, also when many try at once', async () => {
    const victim = await newPerson(service, 'Victim');
    const tries = await Promise.all(
      Array.from({ length: 24 }, () =>
        call('POST', '/api/session', {
          headers: { 'content-type': 'application/json' },
          body: JSON.stringify({ email: victim.email, password: 'not the password' }),
        }).then(({ status }) => status),
      ),
    );
    expect(tries.filter((status) => status === 429).length).toBeGreaterThan(3);
    const right = await call('POST', '/api/session', {
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ email: victim.email, password: victim.password }),
    });
    expect(right.status).toBe(429);
    expect(((await right.json()) as { detail: string }).detail).toMatch(/Wait \d+ seconds?/);
    await service.restart(false);
    const later = await call('POST', '/api/session', {
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ email: victim.email, password: victim.password }),
    });
    expect(later.status).toBe(429);
  });
});

it('a formula with a regular expression is refused at once, and trying needs the right to change', async () => {
  const { id: kindId } = await client.call('createKind', { body: { title: 'Formula' } });
  const stream = {
    key: 'long',
    title: 'Long',
    type: 'number',
    computation: { form: 'formula', formula: `"${'a'.repeat(40)}!".matches("^(a+)+$") && level > 1` },
  };
  const { secret } = await client.call('createKey', { body: { title: 'looks', scope: 'read' } });
  const attempt = (headers: Record<string, string>) =>
    call('POST', `/api/kinds/${kindId}/compute`, {
      headers: { 'content-type': 'application/json', ...headers },
      body: JSON.stringify({ stream }),
    });
  expect((await attempt({ authorization: `Bearer ${secret}` })).status).toBe(403);
  const refused = await attempt({ cookie: person.cookie(), origin: service.url });
  expect(refused.status).toBe(422);
  expect(((await refused.json()) as { detail: string }).detail).toContain('cannot be used');
});

it('the first account is one, however many ask at once', async () => {
  const fresh = await startService({ PEATMOOR_SIGN_UP: 'first' });
  try {
    const made = await Promise.all(
      Array.from({ length: 6 }, (_, i) =>
        fetch(`${fresh.url}/api/account`, {
          method: 'POST',
          headers: { 'content-type': 'application/json' },
          body: JSON.stringify({
            email: `w${i}@quillmere.example`,
            password: 'sphagnum and heather',
            name: 'W',
            workspace: 'M',
          }),
        }).then(({ status }) => status),
      ),
    );
    expect(made.filter((status) => status === 201)).toHaveLength(1);
    expect(made.filter((status) => status === 403)).toHaveLength(5);
  } finally {
    await fresh.stop();
  }
});

it('a killed service takes its database along, and starts again at once', async () => {
  const { pid } = await import('node:fs').then((fs) => ({
    pid: fs.readFileSync(`${service.dataFolder}/mariadb/server.pid`, 'utf8').trim(),
  }));
  await service.program.kill();
  const fs = await import('node:fs');
  await until(
    () => !fs.existsSync(`/proc/${pid}`) || /State:\s+Z/.test(fs.readFileSync(`/proc/${pid}/status`, 'utf8')),
    'the end of the database',
  );
  await service.restart(false).catch(() => undefined);
  expect((await fetch(`${service.url}/health`)).status).toBe(200);
});
