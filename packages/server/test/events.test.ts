import type { Client, Event } from '@peatmoor/contract';
import { built, startProgram, type Program } from '../../../test/support/program';
import {
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type TestService,
} from '../../../test/support/service';

interface Mail {
  to: string;
  subject: string;
  text: string;
}

let catcher: Program<{ smtpUrl: string; pageUrl: string }>;
let service: TestService;
let client: Client;
let token: string;
const id = 'dipwell-north';

beforeAll(async () => {
  catcher = await startProgram(built('standins', 'mailProgram.js'), {});
  service = await startService({ PEATMOOR_SMTP_URL: catcher.ready.smtpUrl });
  ({ client } = await newPerson(service));
  ({ token } = await newDevice(client));
});
afterAll(async () => {
  await service.stop();
  catcher.child.kill('SIGTERM');
});

const mails = async (): Promise<Mail[]> =>
  (await (await fetch(`${catcher.ready.pageUrl}/messages.json`)).json()) as Mail[];
/** Agrees to be alerted, as somebody does who presses the button behind the link of the first mail. */
async function agree(to: string): Promise<void> {
  const mail = await until(async () => (await mails()).find((one) => one.to === to), `a mail to ${to}`);
  const [, link] = /\/alert\/(\S+)/.exec(mail.text)!;
  await service.open.call('useAlertLink', { params: { link: link! } });
}
const events = (count: number, ready: (all: Event[]) => boolean = () => true): Promise<Event[]> =>
  until(async () => {
    const all = await client.call('listEvents');
    return all.length === count && ready(all) && all;
  }, `${count} events`);
const rule = (change: object) =>
  client.call('createRule', {
    body: {
      title: 'Water is high',
      deviceId: id,
      stream: 'level',
      comparison: 'above',
      limit: -100,
      emails: ['ranger@quillmere.example'],
      ...change,
    },
  });

it('a crossed limit opens an event and sends an email; back again closes it and sends another', async () => {
  const made = await rule({ closeLimit: -110, severity: 'urgent' });
  expect(made.sentence).toBe(
    'When Water level of Dipwell North is above -100 mm; closes at -110 mm or below.',
  );
  await agree('ranger@quillmere.example');
  await post(service, token, { level: -120 });
  await post(service, token, { level: -90 });
  const [open] = await events(1);
  expect(open).toMatchObject({
    title: 'Water is high',
    severity: 'urgent',
    value: -90,
    closedAt: null,
    deviceName: 'Dipwell North',
  });
  expect(await client.call('readDevice', { params: { device: id } })).toMatchObject({ openEvents: 1 });
  await post(service, token, { level: -80 });
  await post(service, token, { level: -105 });
  await post(service, token, { level: -111 });
  const [closed] = await events(
    1,
    ([one]) =>
      one!.closedAt !== null &&
      one!.alerts.every(({ state }) => state === 'sent') &&
      one!.alerts.length === 2,
  );
  expect(closed).toMatchObject({ extreme: -80 });
  const [second, first] = await mails();
  expect(first).toMatchObject({
    to: 'ranger@quillmere.example',
    subject: 'urgent: Water is high (Dipwell North, -90 mm)',
  });
  expect(second!.subject).toBe('closed: Water is high (Dipwell North, -111 mm)');
  expect(second!.text).toContain('Peak value meanwhile: -80 mm');
  await client.call('deleteRule', { params: { rule: made.id } });
});

it('a hold opens by the passing of time alone, on every device of a kind', async () => {
  const device = await client.call('readDevice', { params: { device: id } });
  const other = await client.call('createDevice', { body: { name: 'Dipwell South', kindId: device.kindId } });
  const made = await rule({ deviceId: null, kindId: device.kindId, holdMs: 1000, emails: [] });
  const at = Date.now();
  await post(service, token, { at, level: -90 });
  await post(service, other.token, { at, level: -95 });
  const both = (await events(3)).filter(({ ruleId }) => ruleId === made.id);
  expect(both.map(({ deviceId }) => deviceId).sort()).toEqual([id, other.device.id]);
  expect(both.every(({ openedAt }) => openedAt === at + 1000)).toBe(true);
  const [event] = both;
  expect(await client.call('acknowledgeEvent', { params: { event: event!.id }, body: {} })).toMatchObject({
    acknowledgedBy: 'Warden',
    closedAt: null,
  });
  await client.call('closeEvent', { params: { event: event!.id }, body: {} });
  await expect(client.call('closeEvent', { params: { event: event!.id }, body: {} })).rejects.toThrow(
    'closed already',
  );
  await client.call('deleteRule', { params: { rule: made.id } });
  await events(3, (all) => all.every(({ closedAt }) => closedAt !== null));
});

it('a changed or switched-off rule closes what it opened, and a wrong one is refused by field', async () => {
  const made = await rule({ limit: -200, emails: [] });
  await post(service, token, { level: -150 });
  await events(4);
  const { id: number, sentence: _s, openEvents: _o, version: _v, ...before } = made;
  await client.call('changeRule', { params: { rule: number }, body: { ...before, active: false } });
  await events(4, ([one]) => one!.closedAt !== null);
  await post(service, token, { level: -140 });
  await new Promise((resolve) => setTimeout(resolve, 300));
  await events(4);
  for (const [change, field] of [
    [{ closeLimit: 5 }, 'closeLimit'],
    [{ stream: 'nothing' }, 'stream'],
    [{ emails: ['nonsense'] }, 'emails\\[0\\]'],
    [{ deviceId: null }, 'watches one device'],
    [{ holdMs: -1 }, 'holdMs'],
  ] as const)
    await expect(rule(change)).rejects.toThrow(new RegExp(field));
});

it('finds what was open at some time of a period, however long before it opened', async () => {
  const { id: made } = await rule({ emails: [] });
  const start = Date.now() - 3_600_000;
  const at = (minute: number): number => start + minute * 60_000;
  await post(service, token, [
    { at: at(0), level: -50 },
    { at: at(10), level: -150 },
    { at: at(20), level: -50 },
    { at: at(30), level: -150 },
    { at: at(40), level: -50 },
  ]);
  const between = async (since: number, to: number): Promise<number[]> =>
    (
      await client.call('listEvents', { query: { rule: made, since: at(since), to: at(to), text: 'water' } })
    ).map(({ openedAt }) => (openedAt - start) / 60_000);
  await until(async () => (await between(0, 60)).length === 3);
  expect(await between(5, 8)).toEqual([0]);
  expect(await between(12, 18)).toEqual([]);
  expect(await between(25, 41)).toEqual([40, 20]);
  expect(await between(50, 55)).toEqual([40]);
  await expect(client.call('listEvents', { query: { since: 'long ago' } as never })).rejects.toThrow(/since/);
  await client.call('deleteRule', { params: { rule: made } });
});

it('an alert that cannot be sent is tried again and says why', async () => {
  const silent = await startService({ PEATMOOR_SMTP_URL: 'smtp://127.0.0.1:9' });
  try {
    const person = await newPerson(silent);
    const made = await newDevice(person.client);
    await person.client.call('createRule', {
      body: {
        title: 'High',
        deviceId: id,
        stream: 'level',
        comparison: 'above',
        limit: -100,
        emails: [person.email],
      },
    });
    await post(silent, made.token, { level: 0 });
    const alert = await until(async () => {
      const [event] = await person.client.call('listEvents');
      return event?.alerts.find(({ error }) => error !== '');
    });
    expect(alert).toMatchObject({ state: 'waiting', error: expect.stringMatching(/ECONNREFUSED|connect/i) });
  } finally {
    await silent.stop();
  }
});
