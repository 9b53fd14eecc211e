import { X509Certificate } from 'node:crypto';
import { once } from 'node:events';
import http from 'node:http';
import https from 'node:https';
import { createClient } from '@peatmoor/contract';
import {
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

// https for phones, by an authority of the service's own, and no board is cut off by it.
let service: TestService;
let person: Person;
let token: string;

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  ({ token } = await newDevice(person.client));
});
afterAll(() => service.stop());

/** Asks by https, trusting one authority alone; gives the status. */
const asked = (path: string, ca: string): Promise<number> =>
  new Promise((resolve, reject) => {
    https
      .get(`${service.url.replace('http:', 'https:')}${path}`, { ca, servername: 'localhost' }, (answer) => {
        answer.resume();
        resolve(answer.statusCode!);
      })
      .on('error', reject);
  });

it('is made by an owner, is used from the next start on, and cuts no board off', async () => {
  expect(await service.open.call('readCertificate')).toEqual({ certificate: null, inUse: false });
  expect((await fetch(`${service.url}/authority.crt`)).status).toBe(404);
  const viewer = await newPerson(service, 'Other');
  await expect(service.open.call('makeCertificate', { body: {} })).rejects.toThrow(/Sign in/);
  await expect(person.client.call('makeCertificate', { body: { names: ['not a name'] } })).rejects.toThrow(
    /names/,
  );
  expect(viewer.email).toContain('other');
  const made = await person.client.call('makeCertificate', {
    body: { names: ['localhost', 'moor.local', '127.0.0.1'] },
  });
  expect(made.certificate!.names).toEqual(['localhost', 'moor.local', '127.0.0.1']);
  expect(made.inUse).toBe(false);
  await service.restart(false);
  const authority = await (await fetch(`${service.url}/authority.crt`)).text();
  const root = new X509Certificate(authority);
  expect(root.ca).toBe(true);
  expect(root.fingerprint256).toBe(made.certificate!.fingerprint);
  expect(Date.parse(root.validTo) - Date.now()).toBeGreaterThan(9.9 * 365 * 86_400_000);
  const days = (made.certificate!.endsAt - Date.now()) / 86_400_000;
  expect(days).toBeGreaterThan(800);
  expect(days).toBeLessThanOrEqual(825);
  expect(await asked('/health', authority)).toBe(200);
  // Pages go to https; what a phone looks at before it trusts, and boards, are answered where they ask.
  const page = await fetch(`${service.url}/events`, { redirect: 'manual' });
  expect([page.status, page.headers.get('location')?.startsWith('https://')]).toEqual([308, true]);
  expect((await fetch(`${service.url}/trust`, { redirect: 'manual' })).status).toBe(200);
  // So are calls of a program on the same machine, but of nobody behind a proxy there or under another name.
  const called = async (headers: Record<string, string>): Promise<number> => {
    const request = http.get(`${service.url}/api/status`, { headers });
    const [answer] = (await once(request, 'response')) as [http.IncomingMessage];
    answer.resume();
    return answer.statusCode!;
  };
  expect(await called({})).toBe(200);
  expect(await called({ 'x-forwarded-for': '192.0.2.7' })).toBe(308);
  expect(await called({ host: 'moss.example' })).toBe(308);
  expect((await post(service, token, { level: -1 })).status).toBe(200);
  // Who does not know the authority is told what to do.
  const stranger = createClient({ baseUrl: service.url.replace('http:', 'https:') });
  await expect(stranger.call('status')).rejects.toThrow(/save http:.*authority\.crt.*NODE_EXTRA_CA_CERTS/);
});

it('is renewed while the service runs, and the authority stays', async () => {
  const authority = await (await fetch(`${service.url}/authority.crt`)).text();
  const headers = {
    cookie: person.cookie(),
    'sec-fetch-site': 'same-origin',
    'content-type': 'application/json',
  };
  const again = await new Promise<number>((resolve, reject) => {
    const request = https.request(
      `${service.url.replace('http:', 'https:')}/api/certificate`,
      { method: 'POST', ca: authority, servername: 'localhost', headers },
      (answer) => (answer.resume(), resolve(answer.statusCode!)),
    );
    request.on('error', reject);
    request.end('{"names":["moor.local","localhost"]}');
  });
  expect(again).toBe(200);
  await until(async () => (await asked('/health', authority)) === 200, 'the same authority is trusted');
  expect(await (await fetch(`${service.url}/authority.crt`)).text()).toBe(authority);
});
