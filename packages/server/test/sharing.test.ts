import { createClient, type Client, type Link, type LinkIn, type LiveMessage } from '@peatmoor/contract';
import { WebSocket } from 'ws';
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
let owner: Person;
let client: Client;
let token: string;
let board: number;
const NORTH = 'dipwell-north';
const HOUR = 3_600_000;

const widget = (id: string, type: string, ...streams: string[]) => ({
  id,
  type: type as 'gauge',
  title: '',
  sources: streams.map((stream) => ({ device: NORTH, stream })),
  options: {},
  x: 0,
  y: 0,
  w: 3,
  h: 3,
});
const secretOf = ({ address }: { address: string }): string => address.split('/shared/')[1]!;
/** A visitor with the credential of an address. */
const visitor = (credential: string): Client =>
  createClient({ baseUrl: service.url, headers: { authorization: `Bearer link_${credential}` } });
const share = (change: Partial<LinkIn> = {}): Promise<Link> =>
  client.call('createLink', {
    body: { title: 'For the village', sort: 'dashboard', dashboardId: board, ...change },
  });
const history = (who: Client, streams: string, from: number, device = NORTH) =>
  who.call('history', { params: { device }, query: { streams, from, to: Date.now(), buckets: 0 } });
/** Opens the live channel as a visitor; gathers what it hears. */
function listen(credential: string, watch: object) {
  const heard: LiveMessage[] = [];
  const state = { heard, code: 0 };
  const socket = new WebSocket(`${service.url.replace('http', 'ws')}/api/live?link=${credential}`);
  socket.on('open', () => socket.send(JSON.stringify({ type: 'watch', ...watch })));
  socket.on('message', (data: Buffer) => heard.push(JSON.parse(data.toString()) as LiveMessage));
  socket.on('close', (code) => (state.code = code));
  socket.on('error', () => undefined);
  return state;
}

beforeAll(async () => {
  service = await startService();
  owner = await newPerson(service);
  client = owner.client;
  ({ token } = await newDevice(client));
  await newDevice(client, 'Dipwell South');
  board = (
    await client.call('createDashboard', {
      body: {
        title: 'The moss',
        widgets: [widget('a', 'gauge', 'level'), widget('b', 'switch', 'pump')],
      },
    })
  ).id;
  await post(service, token, [
    { at: Date.now() - 50 * HOUR, level: -300, temperature: 5 },
    { level: -120, temperature: 6 },
  ]);
});
afterAll(() => service.stop());

it('says what a visitor will see before the link exists, on the page as they will get it', async () => {
  const preview = await client.call('previewLink', {
    body: { sort: 'dashboard', dashboardId: board, backMs: 30 * 24 * HOUR },
  });
  expect(preview.shows).toBe('1 datastream of 1 device, 30 days back; no controls, no names of people.');
  expect(preview.streams).toEqual([
    { device: NORTH, deviceName: 'Dipwell North', stream: 'level', title: 'Water level' },
  ]);
  const who = visitor(preview.page.split('/shared/')[1]!);
  const shared = await who.call('readShared');
  expect(shared.dashboard.widgets.map(({ id }) => id)).toEqual(['a']);
  expect((await who.call('listDevices')).map(({ id }) => id)).toEqual([NORTH]);
  expect(await client.call('listLinks')).toEqual([]);
  // Nobody can make one up, or stretch one to another dashboard.
  const [body, signature] = preview.page.split('preview~')[1]!.split('~');
  const other = Buffer.from(
    Buffer.from(body!, 'base64url').toString().replace(`"dashboard",${board}`, '"dashboard",1'),
  ).toString('base64url');
  if (other !== body)
    await expect(visitor(`preview~${other}~${signature}`).call('readShared')).rejects.toThrow(/Sign in/);
  const wrong = (signature!.startsWith('x') ? 'y' : 'x') + signature!.slice(1);
  await expect(visitor(`preview~${body}~${wrong}`).call('readShared')).rejects.toThrow(/Sign in/);
});

it('carries exactly the datastreams of the dashboard, through every way', async () => {
  const link = await share();
  expect(link.address).toMatch(/\/shared\/[\w-]{22}$/);
  const who = visitor(secretOf(link));
  const [device] = await who.call('listDevices');
  expect(device!.newest.map(({ key }) => key)).toEqual(['level']);
  expect(device).toMatchObject({ notes: '', labels: [], openEvents: 0, dashboardId: null });
  const kinds = await who.call('listKinds');
  expect(kinds.map(({ streams }) => streams.map(({ key }) => key))).toEqual([['level']]);
  expect((await history(who, 'level', Date.now() - 40 * 24 * HOUR)).lines[0]!.values).toEqual([-300, -120]);
  await expect(history(who, 'temperature', 0)).rejects.toThrow(/not a datastream of Dipwell North/);
  await expect(history(who, 'level', 0, 'dipwell-south')).rejects.toThrow(/device/);
  for (const name of ['me', 'listDashboards', 'listPeople', 'listRules', 'listLinks', 'listKeys'] as const)
    await expect(who.call(name)).rejects.toThrow(/A share link only shows what is shared/);
  await expect(
    who.call('createCommand', { params: { device: NORTH }, body: { stream: 'pump', value: true } }),
  ).rejects.toThrow(/only shows/);
  // That somebody came is counted, once for the page however often it reads on; looking at its head is not coming.
  const page = (await client.call('listLinks'))[0]!.address;
  await fetch(page, { method: 'HEAD' });
  await fetch(page);
  await who.call('readShared');
  await who.call('readShared');
  await until(async () => (await client.call('listLinks'))[0]!.openedAt !== null);
  expect((await client.call('listLinks'))[0]!.opened).toBe(1);
});

it('adds what a dashboard shows later only after an editor said so; what is gone from it is gone', async () => {
  const [link] = await client.call('listLinks');
  const who = visitor(secretOf(link!));
  const before = await client.call('readDashboard', { params: { dashboard: board } });
  const change = (widgets: ReturnType<typeof widget>[]) =>
    client.call('readDashboard', { params: { dashboard: board } }).then(({ version, title }) =>
      client.call('changeDashboard', {
        params: { dashboard: board },
        body: { version, title, widgets: widgets as never },
      }),
    );
  await change([...(before.widgets as never[]), widget('c', 'gauge', 'temperature')]);
  await expect(history(who, 'temperature', 0)).rejects.toThrow(/not a datastream/);
  const [waiting] = await client.call('listLinks');
  expect(waiting!.waiting.map(({ stream }) => stream)).toEqual(['temperature']);
  await client.call('changeLink', { params: { link: link!.id }, body: { include: true } });
  expect((await history(who, 'temperature', 0)).lines[0]!.values).toEqual([5, 6]);
  await change([widget('c', 'gauge', 'temperature')]);
  await expect(history(who, 'level', 0)).rejects.toThrow(/not a datastream/);
  await change(before.widgets as never);
});

it('shows live what it carries and nothing else, and ends within seconds of its withdrawal', async () => {
  const link = await share();
  const secret = secretOf(link);
  const page = listen(secret, { devices: 'all', arrivals: 'all' });
  await until(() => page.heard.some(({ type }) => type === 'watching'));
  await client.call('createNote', { params: { device: NORTH }, body: { at: Date.now(), text: 'cleaned' } });
  await client.call('createCommand', { params: { device: NORTH }, body: { stream: 'pump', value: true } });
  await post(service, token, { level: -111, temperature: 7 });
  await until(() =>
    page.heard.some((one) => one.type === 'readings' && one.values.some(([, , value]) => value === -111)),
  );
  await new Promise((resolve) => setTimeout(resolve, 400));
  const types = new Set(page.heard.map(({ type }) => type));
  expect(
    [...types].filter((type) => !['hello', 'beat', 'watching', 'readings', 'changed'].includes(type)),
  ).toEqual([]);
  const keys = page.heard.flatMap((one) => (one.type === 'readings' ? one.values.map(([key]) => key) : []));
  expect(new Set(keys)).toEqual(new Set(['level']));
  for (const one of page.heard)
    if (one.type === 'changed') expect(Object.keys(one).sort()).toEqual(['type', 'what']);
  const withdrawn = Date.now();
  await client.call('deleteLink', { params: { link: link.id } });
  await until(() => page.code === 4401, 'the page to end');
  expect(Date.now() - withdrawn).toBeLessThan(5000);
  await expect(visitor(secret).call('readShared')).rejects.toThrow(/Sign in/);
});

it('asks for its passphrase, bounds guesses, and asks again once it is another', async () => {
  const link = await share({ passphrase: 'sphagnum' });
  const secret = secretOf(link);
  await expect(visitor(secret).call('readShared')).rejects.toThrow(/opened with a passphrase/);
  await expect(service.open.call('openShared', { body: { secret, passphrase: 'heather' } })).rejects.toThrow(
    /passphrase is not right/,
  );
  const { credential } = await service.open.call('openShared', { body: { secret, passphrase: 'sphagnum' } });
  const who = createClient({ baseUrl: service.url, headers: { authorization: `Bearer ${credential}` } });
  expect((await who.call('readShared')).title).toBe('For the village');
  await client.call('changeLink', { params: { link: link.id }, body: { passphrase: 'cotton grass' } });
  await expect(who.call('readShared')).rejects.toThrow(/opened with a passphrase/);
  const guesses = await Promise.allSettled(
    Array.from({ length: 30 }, (_, n) =>
      service.open.call('openShared', { body: { secret, passphrase: `guess ${n}` } }),
    ),
  );
  const reasons = guesses.map((one) => (one.status === 'rejected' ? String(one.reason) : 'let in'));
  expect(reasons.filter((reason) => reason.includes('Too many attempts')).length).toBeGreaterThanOrEqual(20);
  expect(reasons).not.toContain('let in');
  expect(JSON.stringify(await client.call('listLinks'))).not.toContain('argon2');
});

it('looks back as far as it says, for as long as it says', async () => {
  const link = await share({ backMs: 24 * HOUR, endsAt: Date.now() + 1500 });
  const who = visitor(secretOf(link));
  expect((await history(who, 'level', 0)).lines[0]!.values).not.toContain(-300);
  const { count } = await who.call('statistics', {
    params: { device: NORTH },
    query: { stream: 'level', from: 0, to: Date.now() },
  });
  expect(count).toBeLessThan(3);
  await until(async () => !(await who.call('readShared').catch(() => null)), 'the end of the link');
  await expect(share({ endsAt: Date.now() - 1 })).rejects.toThrow(/endsAt is over already/);
});

it('shares a widget or a device by itself, and nothing that steers', async () => {
  const one = await share({ sort: 'widget', widgetId: 'a' });
  const shared = await visitor(secretOf(one)).call('readShared');
  expect(shared.dashboard.widgets.map(({ id }) => id)).toEqual(['a']);
  await expect(share({ sort: 'widget', widgetId: 'b' })).rejects.toThrow(/widgetId steers/);
  await expect(share({ sort: 'widget', widgetId: 'nothing' })).rejects.toThrow(/is not a widget/);
  await expect(share({ dashboardId: 999_999 })).rejects.toThrow(/is not a dashboard/);
  const device = await client.call('createLink', {
    body: { title: 'North', sort: 'device', deviceId: NORTH },
  });
  const who = visitor(secretOf(device));
  const keys = (await who.call('readShared')).dashboard.widgets.flatMap(({ sources }) =>
    sources.map(({ stream }) => stream),
  );
  expect(new Set(keys)).toEqual(new Set(['level', 'temperature', 'mode']));
});

it('is of its workspace alone, and kept sealed', async () => {
  const link = await share();
  const stranger = await newPerson(service, 'Stranger');
  expect(await stranger.client.call('listLinks')).toEqual([]);
  for (const call of [
    stranger.client.call('changeLink', { params: { link: link.id }, body: { title: 'mine' } }),
    stranger.client.call('deleteLink', { params: { link: link.id } }),
    stranger.client.call('createLink', { body: { title: 'x', sort: 'dashboard', dashboardId: board } }),
    stranger.client.call('previewLink', { body: { sort: 'device', deviceId: NORTH } }),
  ])
    await expect(call).rejects.toThrow(/share link|not a dashboard|not a device/);
  expect((await client.call('listLinks')).find(({ id }) => id === link.id)!.title).toBe('For the village');
});

it('is framed by the sites it names and by nobody else, and listed only where it says so', async () => {
  const link = await share({ sites: ['https://moss.example', 'https://moss.example'] });
  const headersOf = async (address: string) => (await fetch(service.url + new URL(address).pathname)).headers;
  const framed = await headersOf(link.address);
  expect(framed.get('content-security-policy')).toContain("frame-ancestors 'self' https://moss.example;");
  expect(framed.get('x-frame-options')).toBeNull();
  expect(framed.get('x-robots-tag')).toContain('noindex');
  expect(framed.get('set-cookie')).toBeNull();
  const other = await headersOf((await share({ listed: true })).address);
  expect(other.get('content-security-policy')).toContain("frame-ancestors 'self';");
  expect(other.get('x-robots-tag')).toBeNull();
  const page = await headersOf(`${service.url}/dashboards/1`);
  expect(page.get('content-security-policy')).toContain("frame-ancestors 'none'");
  await expect(share({ sites: ["https://moss.example; script-src 'unsafe-inline'"] })).rejects.toThrow(
    /sites/,
  );
});

it('shows all who look at it what an editor shares too, at once and together', async () => {
  const link = await share();
  const pages = Array.from({ length: 25 }, () => listen(secretOf(link), { devices: 'all' }));
  await until(() => pages.every(({ heard }) => heard.some(({ type }) => type === 'watching')));
  const before = await client.call('readDashboard', { params: { dashboard: board } });
  const change = (widgets: unknown[], version: number) =>
    client.call('changeDashboard', {
      params: { dashboard: board },
      body: { version, title: before.title, widgets: widgets as never },
    });
  const changed = await change([...before.widgets, widget('t', 'gauge', 'temperature')], before.version);
  const hears = (page: (typeof pages)[number], value: number): boolean =>
    page.heard.some((one) => one.type === 'readings' && one.values.some(([, , found]) => found === value));
  await new Promise((resolve) => setTimeout(resolve, 800));
  await post(service, token, { level: -71, temperature: 71 });
  await until(() => pages.every((page) => hears(page, -71)), 'the level on every page');
  expect(pages.some((page) => hears(page, 71))).toBe(false);
  // Another version of the link: its pages come again, as what it is by then.
  await client.call('changeLink', { params: { link: link.id }, body: { include: true } });
  await until(() => pages.every(({ code }) => code === 4401), 'the pages of the version before to end');
  const again = listen(secretOf(link), { devices: 'all' });
  await until(() => again.heard.some(({ type }) => type === 'watching'));
  await post(service, token, { level: -72, temperature: 72 });
  await until(() => hears(again, 72), 'the temperature');
  await change(before.widgets, changed.version);
});

describe('a picture of a widget', () => {
  const pictureAt = async (link: Link, query: string, headers: Record<string, string> = {}) => {
    const response = await fetch(`${service.url}/shared/${secretOf(link)}/picture.${query}`, { headers });
    return { response, body: Buffer.from(await response.arrayBuffer()) };
  };

  it('is of the size and look asked for, kept with its mark, and for every page', async () => {
    const link = await share();
    const svg = await pictureAt(link, 'svg?widget=a&width=300&height=240&look=dark');
    expect(svg.body.toString()).toMatch(/^<svg [^>]*width="300" height="240"/);
    expect(svg.body.toString()).toContain('#1D1815');
    expect(svg.body.toString()).toContain('Water level');
    expect((await pictureAt(link, 'svg?look=transparent')).body.toString()).not.toContain(
      '<rect width="420"',
    );
    const png = await pictureAt(link, 'png?width=300&height=240');
    expect(png.body.subarray(1, 4).toString()).toBe('PNG');
    expect([png.body.readUInt32BE(16), png.body.readUInt32BE(20)]).toEqual([600, 480]);
    const { headers } = png.response;
    expect(headers.get('cross-origin-resource-policy')).toBe('cross-origin');
    expect(headers.get('set-cookie')).toBeNull();
    expect(headers.get('cache-control')).toBe('public, max-age=30');
    const again = await pictureAt(link, 'png?width=300&height=240', {
      'if-none-match': headers.get('etag')!,
    });
    expect([again.response.status, again.body.length]).toEqual([304, 0]);
  });

  it('draws a chart of the time the link says, with no line across a gap, and the picture of nothing', async () => {
    const charts = await client.call('createDashboard', {
      body: {
        title: 'Lines',
        widgets: [
          widget('c', 'chart', 'level', 'temperature'),
          widget('d', 'value', 'pump'),
          { ...widget('e', 'lamp', 'level'), options: { above: -1000, on: 'deep down' } },
        ],
      },
    });
    const lines = await share({ dashboardId: charts.id, periodMs: 72 * HOUR });
    const { response, body } = await pictureAt(lines, 'svg?widget=c&width=600&height=300');
    expect(response.status).toBe(200);
    expect(body.toString()).toContain('Water level');
    // What is measured in another unit is not on the scale that is written.
    expect(body.toString()).toContain('Water level (mm)<');
    expect(body.toString()).toContain('Peat temperature (°C), own scale<');
    // Two readings two days apart, of each: no line leads from one to the other.
    expect(body.toString().match(/<circle/g)).toHaveLength(4);
    expect(body.toString()).not.toMatch(/ d="[^"]*L/);
    expect(body.toString()).not.toMatch(/NaN|undefined/);
    const empty = (await pictureAt(lines, 'svg?widget=d')).body.toString();
    expect(empty).toContain('no reading yet');
    // A lamp says what its maker wants said of it.
    expect((await pictureAt(lines, 'svg?widget=e')).body.toString()).toContain('deep down');
    await client.call('deleteLink', { params: { link: lines.id } });
  });

  it('is of what the link shows alone, and bounded', async () => {
    const link = await share();
    const statusOf = async (query: string): Promise<number> => (await pictureAt(link, query)).response.status;
    expect(
      await Promise.all(
        [
          'svg?widget=b',
          'svg?widget=nothing',
          'gif',
          'svg?width=9',
          'png?width=99999',
          'png?height=1e3',
          'svg?look=red',
        ].map(statusOf),
      ),
    ).toEqual([404, 404, 404, 422, 422, 422, 422]);
    const closed = await share({ passphrase: 'sphagnum' });
    expect((await pictureAt(closed, 'png')).response.status).toBe(401);
    await client.call('deleteLink', { params: { link: link.id } });
    expect(await statusOf('png')).toBe(404);
  });

  it('is drawn while others are answered', async () => {
    const link = await share();
    const many = Array.from({ length: 60 }, (_, n) =>
      pictureAt(link, `png?width=${1000 + n}&height=1000`).then(({ response }) => response.status),
    );
    // Whoever asks for something else is answered before they are all drawn.
    let drawn = false;
    const all = Promise.all(many).then((statuses) => ((drawn = true), statuses));
    for (let n = 0; n < 5; n++) expect((await fetch(`${service.url}/health`)).status).toBe(200);
    expect(drawn).toBe(false);
    const statuses = await all;
    // What is too much at once is told to come later, and nothing else.
    expect(statuses.filter((status) => status !== 200 && status !== 503)).toEqual([]);
    expect(statuses).toContain(200);
  });
});

it('is held open by so many at the most, and whoever comes after is told to come later', async () => {
  const link = await share();
  const credential = secretOf(link);
  const sockets: WebSocket[] = [];
  const open = (): Promise<string> =>
    new Promise((resolve) => {
      const socket = new WebSocket(`${service.url.replace('http', 'ws')}/api/live?link=${credential}`);
      sockets.push(socket);
      socket.on('open', () => resolve('open'));
      socket.on('error', (error) => resolve(error.message));
    });
  for (let n = 0; n < 500; n += 50) {
    const some = await Promise.all(Array.from({ length: 50 }, open));
    expect(new Set(some)).toEqual(new Set(['open']));
  }
  expect(await open()).toContain('503');
  // Another link is not in the way of this one, and people are not in the way of either.
  const other = listen(secretOf(await share()), { devices: 'all', arrivals: [] });
  await until(() => other.heard.some(({ type }) => type === 'watching'), 'a page of another link');
  // One that is closed makes room.
  sockets[0]!.close();
  await until(async () => (await open()) === 'open', 'room again');
  for (const socket of sockets) socket.terminate();
});

it('is one of so many of a workspace', async () => {
  const there = (await client.call('listLinks')).length;
  for (let n = there; n < 100; n++) await share({ title: `link ${n}` });
  await expect(share({ title: 'one more' })).rejects.toThrow(/one link too many: there are 100.*Withdraw/);
  expect(await client.call('listLinks')).toHaveLength(100);
});
