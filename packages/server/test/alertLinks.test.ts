import { startHookCatcher, startMailCatcher, type HookCatcher, type MailCatcher } from '@peatmoor/standins';
import type { Client, Event } from '@peatmoor/contract';
import { nextWeekly } from '../src/alerts/life';
import {
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type TestService,
} from '../../../test/support/service';

// What a reader of a mail can do by its links, where the service is reached by https from everywhere; and its sign of life.
let mail: MailCatcher;
let hook: HookCatcher;
let service: TestService;
let client: Client;
let token: string;
const id = 'dipwell-north';

beforeAll(async () => {
  [mail, hook] = await Promise.all([startMailCatcher(), startHookCatcher()]);
  service = await startService({
    PEATMOOR_SMTP_URL: mail.smtpUrl,
    PEATMOOR_PUBLIC_URL: 'https://moor.example',
    PEATMOOR_LIFE_URL: `${hook.url}/alive`,
    PEATMOOR_LIFE_MINUTES: '0.01',
  });
  ({ client } = await newPerson(service));
  ({ token } = await newDevice(client));
});
afterAll(async () => {
  await service.stop();
  await Promise.all([mail.stop(), hook.stop()]);
});

const cross = async (level: number): Promise<void> => {
  await post(service, token, { level: -300 });
  await post(service, token, { level });
};
const newest = (rule: number, ready: (event: Event) => boolean): Promise<Event> =>
  until(async () => {
    const [event] = await client.call('listEvents', { query: { rule } });
    return event && ready(event) && event;
  }, 'an event');
const ruleFor = async (title: string, people: number[]): Promise<number> =>
  (
    await client.call('createRule', {
      body: {
        title,
        deviceId: id,
        stream: 'level',
        comparison: 'above',
        limit: -100,
        people,
        severity: 'urgent',
      },
    })
  ).id;
const mailOf = (words: string) =>
  until(() => mail.mails().find(({ subject }) => subject.includes(words)), `a mail of ${words}`);

it('one click ends the mails of a rule to one reader; looking at the link does not', async () => {
  const { user } = await client.call('me');
  const rule = await ruleFor('Too often', [user.id]);
  await cross(-50);
  const caught = await mailOf('Too often');
  const [, address] = /<https:\/\/moor\.example(\/api\/alert-links\/[^>]+)>/.exec(caught.stop)!;
  expect(caught.stop).toContain('List-Unsubscribe=One-Click');
  expect((await fetch(service.url + address!)).status).toBe(200);
  await newest(rule, ({ alerts }) => alerts.some(({ state }) => state === 'sent'));
  await cross(-40);
  await newest(
    rule,
    ({ value, alerts }) =>
      value === -40 && alerts.some(({ channel, state }) => channel === 'email' && state !== 'stopped'),
  );
  // As a mail reader does it (RFC 8058): a form, and nobody signed in.
  const answer = await fetch(service.url + address!, {
    method: 'POST',
    headers: { 'content-type': 'application/x-www-form-urlencoded' },
    body: 'List-Unsubscribe=One-Click',
  });
  expect([answer.status, (await answer.json()) as object]).toEqual([
    200,
    expect.objectContaining({ what: 'stop', done: true }),
  ]);
  await cross(-30);
  const event = await newest(rule, ({ value, alerts }) => value === -30 && alerts.length > 0);
  expect(event.alerts.find(({ channel }) => channel === 'email')).toMatchObject({
    state: 'stopped',
    error: 'No more alerts of this rule were asked for.',
  });
  await client.call('deleteRule', { params: { rule } });
  expect((await fetch(service.url + address!)).status).toBe(404);
});

it('a link does nothing for somebody who has left the workspace, nor a second time', async () => {
  const added = await client.call('addPerson', { body: { name: 'Helper', role: 'operator' } });
  const secret = added.link.split(/[#=/]/).at(-1)!;
  await service.open.call('join', {
    body: { secret, email: 'helper@quillmere.example', password: 'sphagnum and heather' },
  });
  const helper = (await client.call('listPeople')).find(({ name }) => name === 'Helper')!;
  const rule = await ruleFor('Ask the helper', [Number(helper.id.replace('person-', ''))]);
  await cross(-45);
  const [, link] = /\/alert\/(\S+)/.exec((await mailOf('Ask the helper')).text)!;
  await client.call('removePerson', { params: { person: helper.id }, query: { takesOver: 'nobody' } });
  await expect(service.open.call('useAlertLink', { params: { link: link! } })).rejects.toThrow(/has left/);
  // Nor are values, readings and comments shown.
  await expect(service.open.call('readAlertLink', { params: { link: link! } })).rejects.toThrow(/has left/);
  expect((await fetch(`${service.url}/api/alert-links/${link}/chart`)).status).toBe(404);
  const [event] = await client.call('listEvents', { query: { rule } });
  expect(event!.acknowledgedAt).toBeNull();
  // Nobody is told any more, and nothing fails for it.
  await cross(-44);
  const next = await newest(rule, ({ value }) => value === -44);
  expect(next.alerts).toEqual([]);
  await client.call('deleteRule', { params: { rule } });
});

it('gives a sign of life while all is well', async () => {
  const calls = (): number => hook.hooks().filter(({ path }) => path === '/alive').length;
  await until(() => calls() > 2, 'some calls');
  expect(hook.hooks()[0]!.headers['user-agent']).toBe('Peatmoor');
});

it.each([
  ['2026-11-27T12:00:00Z', 'UTC', '2026-11-30T08:00:00Z'],
  ['2026-11-30T07:59:00Z', 'UTC', '2026-11-30T08:00:00Z'],
  ['2026-11-30T08:00:00Z', 'UTC', '2026-12-07T08:00:00Z'],
  // By the clock there, which goes forward on the Sunday between.
  ['2026-03-27T12:00:00Z', 'Europe/London', '2026-03-30T07:00:00Z'],
  ['2026-06-01T00:00:00Z', 'Pacific/Auckland', '2026-06-07T20:00:00Z'],
])('writes on Mondays at eight: after %s in %s', (now, zone, next) => {
  expect(new Date(nextWeekly(zone, Date.parse(now))).toISOString()).toBe(new Date(next).toISOString());
});

/** Rules of before would be told of in the same messages. */
const noRules = async (): Promise<void> => {
  for (const { id: rule } of await client.call('listRules'))
    await client.call('deleteRule', { params: { rule } });
};

it('the page behind Acknowledge has the value as it is now, the readings, and a thread of comments', async () => {
  const { user } = await client.call('me');
  await noRules();
  const rule = await ruleFor('With a chart', [user.id]);
  await cross(-50);
  const event = await newest(rule, ({ alerts }) => alerts.some(({ state }) => state === 'sent'));
  const { text } = await until(
    () =>
      mail
        .mails()
        .find((one) => one.text.includes('Acknowledge: ') && /With a chart/.test(one.subject + one.text)),
    'the mail',
  );
  const link = /\/alert\/(\S+)/.exec(text)![1]!;
  await post(service, token, { level: -40 });
  const shown = await service.open.call('readAlertLink', { params: { link } });
  expect(shown).toMatchObject({
    value: 'Water level: -40 mm',
    valueAt: expect.any(Number),
    chart: true,
    comments: [],
    done: false,
  });
  expect(shown.sentence).toContain('is above -100 mm');
  const chart = await fetch(`${service.url}/api/alert-links/${link}/chart`);
  expect(chart.status).toBe(200);
  expect(
    Buffer.from(await chart.arrayBuffer())
      .subarray(1, 4)
      .toString(),
  ).toBe('PNG');
  expect((await fetch(`${service.url}/api/alert-links/${link}x/chart`)).status).toBe(404);
  const say = (text: string) => service.open.call('commentAlertLink', { params: { link }, body: { text } });
  expect((await say('on my way')).comments).toMatchObject([{ by: user.name, text: 'on my way' }]);
  const used = await service.open.call('useAlertLink', { params: { link } });
  expect(used).toMatchObject({ done: true, acknowledgedBy: user.name });
  await say('it was the flap');
  await client.call('commentEvent', { params: { event: event.id }, body: { text: 'thank you' } });
  const { comments } = await client.call('readEvent', { params: { event: event.id } });
  expect(comments.map(({ by, text: said }) => [by, said])).toEqual([
    [user.name, 'on my way'],
    [user.name, 'it was the flap'],
    [user.name, 'thank you'],
  ]);
  expect((await service.open.call('readAlertLink', { params: { link } })).comments).toEqual(comments);
  await expect(
    client.call('commentEvent', { params: { event: event.id }, body: { text: ' ' } }),
  ).rejects.toThrow('text');
  await expect(say('x'.repeat(301))).rejects.toThrow('text');
  const stranger = (await newPerson(service, 'Stranger')).client;
  await expect(
    stranger.call('commentEvent', { params: { event: event.id }, body: { text: 'me too' } }),
  ).rejects.toThrow('event');
});

it('what one message tells of is acknowledged together', async () => {
  const { user } = await client.call('me');
  await noRules();
  const rules: number[] = [];
  for (const title of ['Together one', 'Together two', 'Together three'])
    rules.push(await ruleFor(title, [user.id]));
  await cross(-50);
  const together = await until(
    () => mail.mails().find(({ text }) => text.includes('Acknowledge all of these:')),
    'a gathered mail',
    20_000,
  );
  const link = /Acknowledge all of these: \S+\/alert\/(\S+)/.exec(together.text)![1]!;
  const shown = await service.open.call('readAlertLink', { params: { link } });
  expect(shown.what).toBe('events');
  expect(shown.events.length).toBeGreaterThan(1);
  expect(shown.done).toBe(false);
  expect(shown.events[0]).toMatchObject({ value: 'Water level: -50 mm', done: false });
  // Looking does nothing.
  const open = async (): Promise<Event[]> =>
    (await client.call('listEvents', { query: { state: 'unacknowledged' } })).filter(({ ruleId }) =>
      rules.includes(ruleId!),
    );
  expect(await open()).toHaveLength(3);
  // As a phone presses it: without a body.
  const pressed = await fetch(`${service.url}/api/alert-links/${link}`, { method: 'POST' });
  expect(pressed.status).toBe(200);
  expect((await open()).length).toBe(3 - shown.events.length);
  expect(await service.open.call('readAlertLink', { params: { link } })).toMatchObject({ done: true });
});
