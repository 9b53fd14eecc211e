import { WELCOME, type Began, type Device } from '@peatmoor/contract';
import {
  newDevice,
  newPerson,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

// What the one page of the console is sent with, so that its first moment waits for nothing that the service knows.
let service: TestService;
let person: Person;
const sly = 'Warden </script><script>alert(1)</script> & "co"';

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  await person.client.call('changeMe', { body: { name: sly } });
});
afterAll(() => service.stop());

async function pageOf(
  path: string,
  headers: Record<string, string> = {},
): Promise<{ text: string; began: Began | null; files: string[]; headers: Headers }> {
  const response = await fetch(service.url + path, { headers });
  const text = await response.text();
  const json = /<script type="application\/json" id="began">(.*?)<\/script>/.exec(text)?.[1];
  const files = [...text.matchAll(/<link rel="modulepreload"[^>]* href="\/(assets\/[^"]+)"/g)].map(
    ([, file]) => file!,
  );
  return { text, began: json === undefined ? null : JSON.parse(json), files, headers: response.headers };
}
const OWN = { 'sec-fetch-site': 'none' };
/** The page with what it begins with: a busy machine may not know it in time, and sends the page without it. */
const begunPage = (path: string, headers: Record<string, string>) =>
  until(async () => {
    const page = await pageOf(path, headers);
    return page.began !== null && page;
  }, 'a page that begins with answers');

it('says what is asked first as the API would, and nothing of it is a script', async () => {
  await newDevice(person.client, sly);
  const board = await person.client.call('createDashboard', { body: { title: sly, kindId: null } });
  const cookie = person.cookie();
  for (const path of ['/', `/dashboards/${board.id}`]) {
    const { text, began, headers } = await begunPage(path, { ...OWN, cookie });
    const names = began!.answers.map(([name]) => name);
    expect(names).toEqual([
      'me',
      'listDevices',
      'listKinds',
      ...(path === '/' ? [] : (['readDashboard'] as const)),
    ]);
    for (const [name, input, answer] of began!.answers)
      expect(answer).toEqual(await person.client.call(name as 'me', (input ?? undefined) as never));
    expect(text.match(/<script/g)).toHaveLength(2);
    expect(text).not.toContain('alert(1)</script>');
    expect(text).toContain(
      path === '/'
        ? '<h1>Overview</h1><p>0 of 1 device online · nothing open · the last 24 hours</p>'
        : '<h1>Warden &lt;/script&gt;&lt;script&gt;alert(1)&lt;/script&gt; &amp; &quot;co&quot;</h1>',
    );
    expect(headers.get('cache-control')).toContain('private');
    expect(headers.get('vary')).toMatch(/cookie/i);
  }
  // Somebody else's says nothing of it; very many devices are asked for by the page.
  const other = await newPerson(service, 'Other');
  const theirs = await begunPage(`/dashboards/${board.id}`, { ...OWN, cookie: other.cookie() });
  expect(theirs.began!.answers.map(([name]) => name)).toEqual(['me']);
  expect(theirs.text).not.toContain('alert(1)');
  const kind = (await person.client.call('listKinds'))[0]!.id;
  const csv = ['name,kind', ...Array.from({ length: 60 }, (_, i) => `Many ${i},${kind}`)].join('\n');
  await person.client.call('createDevices', { body: { csv } });
  const many = await begunPage('/', { ...OWN, cookie });
  expect(many.began!.answers.map(([name]) => name)).toEqual(['me']);
  expect(many.text).not.toContain('<h1>');
  expect((await person.client.call('listDevices')) as Device[]).toHaveLength(61);
});

it('tells a key or a link nothing that the API would not: a page is sent with what a session sees', async () => {
  const { id: deviceId } = (await person.client.call('listDevices'))[0]!;
  const body = { title: 'one device', scope: 'read-device' as const, deviceId };
  const { secret } = await person.client.call('createKey', { body });
  const session = `${person.cookie().split('=')[0]}=made-up`;
  const { began, text } = await pageOf('/', { ...OWN, cookie: session, authorization: `Bearer ${secret}` });
  expect(began).toBeNull();
  expect(text).not.toContain('<h1>');
});

it('begins as the page to sign in where nobody is, and only where that is sure', async () => {
  const nobody = await pageOf('/', OWN);
  expect(nobody.began).toEqual({ answers: [] });
  expect(nobody.text).toContain(`<h1>Peatmoor</h1><p>${WELCOME}</p>`);
  expect(nobody.files.some((file) => /SignIn/.test(file))).toBe(true);
  // From a link of somebody else the cookie does not come; a browser keeps one page for everybody; a session may have ended.
  for (const [path, headers] of [
    ['/', { 'sec-fetch-site': 'cross-site' }],
    ['/', {}],
    ['/index.html', { ...OWN, cookie: person.cookie() }],
    ['/', { ...OWN, cookie: `${person.cookie().split('=')[0]}=ended` }],
  ] as [string, Record<string, string>][]) {
    const { text, began } = await pageOf(path, headers);
    expect([path, began]).toEqual([path, null]);
    expect(text).toContain('<p class="first">Peatmoor</p>');
    expect(text).not.toContain(WELCOME);
  }
});

it('asks for the files of the page at once, each once, and brings its style with it', async () => {
  const cookie = person.cookie();
  for (const [path, name] of [
    ['/', 'Overview'],
    ['/dashboards/7', 'Dashboard'],
    ['/devices/well', 'Device'],
  ] as const) {
    const { text, files } = await pageOf(path, { cookie });
    expect(files.filter((file) => file.startsWith(`assets/${name}-`))).toHaveLength(1);
    expect(new Set(files).size).toBe(files.length);
    for (const file of files) {
      const { status, headers } = await fetch(`${service.url}/${file}`);
      expect([status, headers.get('x-content-type-options')]).toEqual([200, 'nosniff']);
      expect(headers.get('content-security-policy')).toBeNull();
    }
    expect(text).not.toMatch(/rel="stylesheet"(?! crossorigin disabled)/);
    const font = /url\((\/assets\/[^)]+-latin-wght[^)]+)\)/.exec(text)?.[1];
    expect((await fetch(service.url + font)).headers.get('content-type')).toBe('font/woff2');
  }
  expect((await pageOf('/', { cookie })).headers.get('content-security-policy')).toContain(
    "default-src 'self'",
  );
  expect((await fetch(`${service.url}/.vite/manifest.json`)).status).toBe(404);
});
