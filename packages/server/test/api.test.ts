import {
  ApiError,
  createClient,
  endpoints,
  type Client,
  type EndpointName,
  type FieldProblem,
} from '@peatmoor/contract';
import { starterWidgets } from '@peatmoor/core';
import {
  DIPWELL,
  newDevice,
  newPerson,
  post,
  readingsOf,
  startService,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let client: Client;
let cookie: () => string;

beforeAll(async () => {
  service = await startService();
  ({ client, cookie } = await newPerson(service));
});
afterAll(() => service.stop());

async function problem(
  call: Promise<unknown>,
): Promise<{ status: number; errors: FieldProblem[]; detail: string }> {
  const error = await call.then(
    () => new Error('the call was expected to fail'),
    (failure: Error) => failure,
  );
  if (!(error instanceof ApiError)) throw error;
  return { status: error.problem.status, errors: error.problem.errors ?? [], detail: error.problem.detail };
}

describe('accounts', () => {
  it('says at once that no link can be sent where there is no mail server, and who can help', async () => {
    await expect(
      service.open.call('askReset', { body: { email: 'nobody@quillmere.example' } }),
    ).rejects.toThrow(/has no mail server.*An owner of your workspace.*peatmoor account reset/);
  });
  it('the first may be made freely on an empty service, later ones only where that is open', async () => {
    const closed = await startService({ PEATMOOR_SIGN_UP: 'first' });
    try {
      expect(await closed.open.call('status')).toMatchObject({ empty: true, signUpOpen: true });
      await newPerson(closed);
      expect(await closed.open.call('status')).toMatchObject({ empty: false, signUpOpen: false });
      await expect(newPerson(closed, 'Stranger')).rejects.toThrow('has its accounts already');
    } finally {
      await closed.stop();
    }
  });

  it('sign in with the right password only, by a cookie that pages cannot read, and sign out for good', async () => {
    const person = await newPerson(service, 'Ranger');
    const signIn = (password: string) =>
      fetch(`${service.url}/api/session`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ email: person.email.toUpperCase(), password }),
      });
    expect((await signIn('not the password')).status).toBe(401);
    const right = await signIn(person.password);
    const cookie = right.headers.getSetCookie()[0]!;
    expect(cookie).toMatch(/HttpOnly/);
    expect(cookie).toMatch(/SameSite=Strict/);
    const headers = { cookie: cookie.split(';')[0]!, origin: service.url };
    expect((await fetch(`${service.url}/api/me`, { headers })).status).toBe(200);
    await fetch(`${service.url}/api/session`, { method: 'DELETE', headers });
    expect((await fetch(`${service.url}/api/me`, { headers })).status).toBe(401);
  });

  it('bounds attempts to sign in, and says for how long', async () => {
    const attempts = await Promise.all(
      Array.from({ length: 12 }, () =>
        problem(
          service.open.call('signIn', { body: { email: 'nobody@quillmere.example', password: 'guess' } }),
        ),
      ),
    );
    const last = attempts.filter(({ status }) => status === 429);
    expect(last.length).toBeGreaterThan(0);
    expect(last[0]!.detail).toMatch(/Wait \d+ seconds/);
  });

  it('refuse a second account with the same email, and short passwords, naming the field', async () => {
    const person = await newPerson(service, 'Twin');
    const body = { email: person.email, password: 'long enough to do', name: 'Twin', workspace: 'Moss' };
    expect(await problem(service.open.call('createAccount', { body }))).toMatchObject({
      status: 422,
      errors: [{ field: 'email' }],
    });
    expect(
      await problem(service.open.call('createAccount', { body: { ...body, password: 'short' } })),
    ).toMatchObject({
      status: 422,
      errors: [{ field: 'password', reason: 'is too short; type 10 letters or more' }],
    });
  });

  it('access keys do what their person may do, until they are ended', async () => {
    const key = await client.call('createKey', { body: { title: 'a script' } });
    const byKey = createClient({ baseUrl: service.url, headers: { authorization: `Bearer ${key.secret}` } });
    expect((await byKey.call('me')).role).toBe('owner');
    const half = createClient({
      baseUrl: service.url,
      headers: { authorization: `Bearer ${key.secret.slice(0, 20)}` },
    });
    expect((await problem(half.call('me'))).status).toBe(401);
    await client.call('deleteKey', { params: { key: key.id } });
    expect((await problem(byKey.call('me'))).status).toBe(401);
  });

  it('a page of another site cannot act with a session', async () => {
    const person = await newPerson(service, 'Visitor');
    const response = await fetch(`${service.url}/api/kinds`, {
      method: 'POST',
      headers: {
        cookie: person.cookie(),
        origin: 'http://elsewhere.example',
        'content-type': 'application/json',
      },
      body: '{"title":"Foreign"}',
    });
    expect(response.status).toBe(403);
    expect(await person.client.call('listKinds')).toEqual([]);
  });
});

describe('kinds and datastreams', () => {
  it('are made with a first device behind it, and shared by another like it', async () => {
    const made = await newDevice(client, 'Sluice');
    const another = await client.call('createDevice', {
      body: { name: 'Sluice', kindId: made.device.kindId },
    });
    expect([made.device.id, another.device.id]).toEqual(['sluice', 'sluice-2']);
    expect(await client.call('readKind', { params: { kind: made.device.kindId } })).toMatchObject({
      devices: 2,
    });
    await client.call('createStream', {
      params: { kind: made.device.kindId },
      body: { key: 'opening', title: 'Opening', type: 'integer', unit: '%' },
    });
    for (const { token } of [made, another])
      expect(await post(service, token, { opening: 40 })).toMatchObject({ status: 200 });
  });

  it('a renamed datastream keeps the old name as alias, and its readings', async () => {
    const { device, token } = await newDevice(client, 'Renamed');
    await post(service, token, { level: -1 });
    const kind = await client.call('readKind', { params: { kind: device.kindId } });
    const { id: _id, ...level } = kind.streams.find(({ key }) => key === 'level')!;
    await client.call('changeStream', {
      params: { kind: kind.id, stream: 'level' },
      body: { ...level, key: 'water_level' },
    });
    expect(await post(service, token, { level: -2 })).toMatchObject({ status: 200, answer: { accepted: 1 } });
    expect((await readingsOf(client, device.id, 'water_level')).map(([, value]) => value)).toEqual([-1, -2]);
    expect(
      await problem(
        client.call('changeStream', {
          params: { kind: kind.id, stream: 'water_level' },
          body: { ...level, key: 'water_level', type: 'boolean' },
        }),
      ),
    ).toMatchObject({ status: 409 });
  });

  it.each([
    ['a key with capitals', { key: 'Level' }, 'key'],
    ['a reserved key', { key: 'at' }, 'key'],
    ['a unit that cannot be one', { unit: 'a furlong' }, 'unit'],
    ['a range the wrong way round', { min: 5, max: 1 }, 'max'],
    ['a virtual pin beyond 999', { pin: 1000 }, 'pin'],
    ['a key twice', { key: 'level' }, 'key'],
    ['a virtual pin twice', { key: 'other', pin: 1 }, 'pin'],
    ['a field nobody knows', { flavour: 'red' }, ''],
    ['a colour that is none', { colour: 'red' }, 'colour'],
    ['a text for a number', { min: 'low' }, 'min'],
  ])('refuses %s, naming the field and the remedy', async (_what, change, field) => {
    const kind = await client.call('createKind', { body: { ...DIPWELL, title: `Kind ${Math.random()}` } });
    const body = { key: 'fresh', title: 'Fresh', type: 'number', ...change } as never;
    const { status, errors } = await problem(
      client.call('createStream', { params: { kind: kind.id }, body }),
    );
    expect(status).toBe(422);
    expect(errors[0]).toMatchObject({
      field,
      reason: expect.any(String),
      remedy: expect.stringMatching(/\w/),
    });
    expect((await client.call('readKind', { params: { kind: kind.id } })).streams).toHaveLength(4);
  });

  it('a kind with devices is not deleted; without them it is', async () => {
    const { device } = await newDevice(client, 'Doomed');
    expect(await problem(client.call('deleteKind', { params: { kind: device.kindId } }))).toMatchObject({
      status: 409,
    });
    await client.call('deleteDevice', { params: { device: device.id } });
    await client.call('deleteKind', { params: { kind: device.kindId } });
    expect(await problem(client.call('readKind', { params: { kind: device.kindId } }))).toMatchObject({
      status: 404,
    });
  });

  it('a deleted datastream takes its readings along, and its name is unknown from then on', async () => {
    const { device, token } = await newDevice(client, 'Shrinking');
    await post(service, token, { level: -1, temperature: 5 });
    await client.call('deleteStream', { params: { kind: device.kindId, stream: 'level' } });
    expect(await post(service, token, { level: -1 })).toMatchObject({
      status: 422,
      answer: { refused: [{ reason: 'unknown-name' }] },
    });
    expect(await readingsOf(client, device.id, 'temperature')).toHaveLength(1);
  });
});

describe('dashboards', () => {
  it('a complete one is offered for a device, once', async () => {
    const { device } = await newDevice(client, 'Offered');
    const first = await client.call('createStarterDashboard', { params: { device: device.id } });
    expect(first.widgets.map(({ type }) => type)).toEqual(
      expect.arrayContaining(['gauge', 'chart', 'switch']),
    );
    expect((await client.call('createStarterDashboard', { params: { device: device.id } })).id).toBe(
      first.id,
    );
    expect((await client.call('readDevice', { params: { device: device.id } })).dashboardId).toBe(first.id);
  });

  it('two sessions editing one: the later is told, nothing is overwritten', async () => {
    const made = await client.call('createDashboard', {
      body: { title: 'Shared', widgets: starterWidgets([], null) },
    });
    const change = (title: string, version: number) =>
      client.call('changeDashboard', {
        params: { dashboard: made.id },
        body: { title, version, widgets: [] },
      });
    await change('By the first', 1);
    expect(await problem(change('By the second', 1))).toMatchObject({
      status: 409,
      detail: expect.stringContaining('Nothing was overwritten'),
    });
    expect(await client.call('readDashboard', { params: { dashboard: made.id } })).toMatchObject({
      title: 'By the first',
      version: 2,
    });
  });

  it('refuses widgets without a source, unknown types and more than a hundred', async () => {
    const widget = {
      id: 'a',
      type: 'gauge',
      title: '',
      sources: [{ device: null, stream: 'level' }],
      options: {},
      x: 0,
      y: 0,
      w: 2,
      h: 4,
    } as const;
    const make = (widgets: unknown[]) =>
      problem(client.call('createDashboard', { body: { title: 'Odd', widgets: widgets as never } }));
    expect(await make([{ ...widget, sources: [] }])).toMatchObject({
      status: 422,
      errors: [{ field: 'widgets[0].sources' }],
    });
    expect(await make([{ ...widget, type: 'dial' }])).toMatchObject({
      status: 422,
      errors: [{ field: 'widgets[0].type' }],
    });
    expect(await make(Array(101).fill(widget))).toMatchObject({ status: 422 });
    const { sources } = widget;
    const said = async (change: object): Promise<string> =>
      ((await make([{ ...widget, options: {}, ...change }])) as { detail: string }).detail;
    expect(await said({ sources: [] })).toMatch(/is empty: a gauge shows a datastream/);
    expect(await said({ type: 'bars', sources: [...sources, ...sources] })).toMatch(/1 at the most/);
    expect(await said({ type: 'heading' })).toMatch(/must be empty for heading/);
    expect(await said({ type: 'bars', options: { step: 'century' } })).toMatch(
      /options\.step.*hour, day, week, month/,
    );
    expect(await said({ type: 'bars', options: { bars: 1e9 } })).toMatch(/options\.bars.*from 2 to 62/);
    expect(await said({ type: 'slider', options: { min: 5, max: 1 } })).toMatch(/must be more than 5/);
    expect(await said({ type: 'clock', sources: [], options: { seconds: 'yes' } })).toMatch(
      /neither yes nor no/,
    );
    // What a widget said until 0.6 is its datastream's.
    expect(await said({ type: 'button', options: { asks: 'yes' } })).toMatch(/asks.*is not an option/);
    const words = 'x'.repeat(121);
    expect(await said({ type: 'heading', sources: [], options: { words } })).toMatch(/at most 120 letters/);
  });
});

describe('the rest of the web side', () => {
  it('describes itself as OpenAPI 3.1, every call of it', async () => {
    const document = (await (await fetch(`${service.url}/api/openapi.json`)).json()) as {
      openapi: string;
      paths: Record<string, Record<string, { operationId: string }>>;
    };
    expect(document.openapi).toBe('3.1.0');
    const operations = Object.values(document.paths).flatMap((path) =>
      Object.values(path).map(({ operationId }) => operationId),
    );
    expect(operations).toEqual(expect.arrayContaining(Object.keys(endpoints)));
  });

  it('every call but the open ones is refused to strangers', async () => {
    for (const name of Object.keys(endpoints) as EndpointName[]) {
      if (endpoints[name].access === 'open') continue;
      const path = endpoints[name].path.replace(/:\w+/g, '1');
      expect([name, (await fetch(service.url + path, { method: endpoints[name].method })).status]).toEqual([
        name,
        401,
      ]);
    }
  });

  it('answers its health, 404 for what is not there, 400 for no JSON and 413 for too much', async () => {
    expect(await (await fetch(`${service.url}/health`)).json()).toMatchObject({
      ok: true,
      database: 'answers',
      mqtt: { sessions: 0 },
    });
    const person = await newPerson(service, 'Prober');
    const send = (body: string) =>
      fetch(`${service.url}/api/kinds`, {
        method: 'POST',
        headers: { cookie: person.cookie(), origin: service.url, 'content-type': 'application/json' },
        body,
      });
    expect((await fetch(`${service.url}/api/nothing`)).status).toBe(404);
    const bad = await send('{"title":');
    expect([bad.status, bad.headers.get('content-type')]).toEqual([
      400,
      'application/problem+json; charset=utf-8',
    ]);
    expect((await send(`{"title":"${'x'.repeat(1_100_000)}"}`)).status).toBe(413);
    expect((await send('[]')).status).toBe(422);
  });

  it('gives history in buckets that agree with the readings', async () => {
    const { device, token } = await newDevice(client, 'Measured');
    const start = Math.floor((Date.now() - 6 * 86_400_000) / 3_600_000) * 3_600_000;
    const rows = Array.from({ length: 2000 }, (_, i) => ({
      at: start + i * 240_000,
      temperature: Math.round(100 * Math.sin(i / 30)) / 10,
    }));
    await post(service, token, rows);
    const read = (from: number, to: number, buckets: number) =>
      client
        .call('history', {
          params: { device: device.id },
          query: { streams: 'temperature', from, to, buckets },
        })
        .then(({ lines }) => lines[0]!);
    for (const buckets of [24, 500]) {
      const line = await read(start, start + 6 * 86_400_000, buckets);
      expect(line.count.reduce((sum, one) => sum + one, 0)).toBe(2000);
      expect(Math.max(...line.max)).toBe(10);
      expect(line.times.length).toBeLessThanOrEqual(buckets + 1);
    }
    const raw = await read(start, start + 3_600_000, 0);
    expect(raw.values).toEqual(rows.slice(0, 15).map(({ temperature }) => temperature));
    expect(await problem(read(5, 4, 10))).toMatchObject({ status: 422, errors: [{ field: 'to' }] });
    expect(
      await problem(
        client.call('history', {
          params: { device: device.id },
          query: { streams: 'temprature', from: 1, to: 2 },
        }),
      ),
    ).toMatchObject({ errors: [{ remedy: 'The nearest is "temperature".' }] });
  });
});

describe('what the protocol says', () => {
  const call = (path: string, init: RequestInit = {}) =>
    fetch(`${service.url}${path}`, {
      ...init,
      headers: { cookie: cookie(), origin: service.url, ...init.headers },
    });

  it('refuses a parameter that an address does not have, by its name', async () => {
    const wrong = await call('/api/devices?colour=red');
    const { errors } = (await wrong.json()) as { errors: FieldProblem[] };
    expect([wrong.status, errors[0]!.field, errors[0]!.remedy]).toEqual([
      422,
      'colour',
      expect.stringContaining('limit'),
    ]);
    expect((await call('/api/me?x=1')).status).toBe(422);
  });

  it('tells where something was made, which methods there are, what is taken, and how one signs in', async () => {
    const json = { 'content-type': 'application/json' };
    const made = await call('/api/kinds', { method: 'POST', headers: json, body: '{"title":"Made"}' });
    const { id } = (await made.json()) as { id: number };
    expect([made.status, made.headers.get('location')]).toEqual([201, `/api/kinds/${id}`]);
    expect((await call(made.headers.get('location')!)).status).toBe(200);
    // What only looks makes nothing.
    const device = await client.call('createDevice', {
      body: {
        name: 'Tried',
        id: 'tried',
        newKind: { title: 'Tried', streams: [{ key: 'level', title: 'Level', type: 'number' }] },
      },
    });
    const calibrate = (only: boolean) =>
      call(`/api/devices/${device.device.id}/calibrations`, {
        method: 'POST',
        headers: json,
        body: JSON.stringify({
          stream: 'level',
          calibration: { form: 'linear', scale: 2, offset: 0 },
          try: only,
        }),
      });
    expect([(await calibrate(true)).status, (await calibrate(false)).status]).toEqual([200, 201]);
    const method = await call('/api/kinds', { method: 'DELETE' });
    expect([method.status, method.headers.get('allow')]).toEqual([405, 'GET, POST']);
    expect((await call('/api/nothing', { method: 'PUT' })).status).toBe(404);
    const form = await call('/api/kinds', {
      method: 'POST',
      headers: { 'content-type': 'text/plain' },
      body: 'title',
    });
    expect([form.status, ((await form.json()) as { detail: string }).detail]).toEqual([
      415,
      expect.stringContaining('Send JSON'),
    ]);
    for (const path of ['/api/devices', '/device/wanted']) {
      const stranger = await fetch(service.url + path);
      expect([stranger.status, stranger.headers.get('www-authenticate')]).toEqual([
        401,
        expect.stringMatching(/^Bearer realm=/),
      ]);
    }
  });
});
