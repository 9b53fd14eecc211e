import type { AlertChoicesIn, Client, Event, RuleIn } from '@peatmoor/contract';
import { startMailCatcher, type CaughtMail, type MailCatcher } from '@peatmoor/standins';
import {
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type TestService,
} from '../../../test/support/service';

// What a mute or a pause keeps back is told when it is over, where it is still open; what reminds says how it is now.
let mail: MailCatcher;
let service: TestService;
let client: Client;
let token: string;
let me: number;
const id = 'dipwell-north';
const USUAL: AlertChoicesIn = {
  channels: { notice: ['email'], warning: ['email'], urgent: ['email'] },
  quiet: null,
  pausedUntil: null,
  weekly: false,
};

beforeAll(async () => {
  mail = await startMailCatcher();
  service = await startService({ PEATMOOR_SMTP_URL: mail.smtpUrl });
  ({ client } = await newPerson(service));
  ({ token } = await newDevice(client));
  me = (await client.call('me')).user.id;
});
afterAll(async () => {
  await service.stop();
  await mail.stop();
});

const ruleFor = (title: string, change: Partial<RuleIn> = {}): Promise<{ id: number }> =>
  client.call('createRule', {
    body: {
      title,
      deviceId: id,
      stream: 'level',
      comparison: 'above',
      limit: -100,
      people: [me],
      severity: 'urgent',
      ...change,
    } as RuleIn,
  });
const eventOf = (rule: number, ready: (event: Event) => boolean): Promise<Event> =>
  until(async () => {
    const [event] = await client.call('listEvents', { query: { rule } });
    return event && ready(event) && event;
  }, `an event of rule ${rule}`);
const level = (value: number) => post(service, token, { level: value });
const mailsOf = (words: string): CaughtMail[] =>
  mail.mails().filter(({ subject }) => subject.includes(words));
const muteFor = (ms: number, target: number): Promise<{ id: number }> =>
  client.call('mute', {
    body: { sort: 'rule', target: String(target), until: Date.now() + ms, reason: 'the gate is greased' },
  } as never);
const muted = ({ alerts }: Event): boolean => alerts.some(({ state }) => state === 'muted');
const sent = ({ alerts }: Event): boolean => alerts.some(({ state }) => state === 'sent');

it('is told once when a mute is over, and since when it is open; what is over by then is not', async () => {
  const stays = await ruleFor('Stays open');
  const ends = await ruleFor('Is over', { closeLimit: -110 });
  for (const one of [stays, ends]) await muteFor(4000, one.id);
  await level(-300);
  await level(-50);
  for (const one of [stays, ends]) await eventOf(one.id, muted);
  // The second closes meanwhile; the first is open until -100.
  await client.call('closeEvent', {
    params: { event: (await eventOf(ends.id, muted)).id },
    body: {},
  } as never);
  const event = await eventOf(stays.id, sent);
  const told = await until(() => mailsOf('Stays open').length === 1 && mailsOf('Stays open'), 'a mail');
  expect(told[0]!.subject).toMatch(/^open since \d\d:\d\d, while muted: urgent: Stays open/);
  expect(told[0]!.text).toMatch(/Open since \d\d:\d\d, while muted\./);
  await new Promise((resolve) => setTimeout(resolve, 6000));
  expect(mailsOf('Stays open')).toHaveLength(1);
  expect(mailsOf('Is over')).toHaveLength(0);
  // Whoever was told that it is open hears that it is over.
  await level(-300);
  await until(() => mailsOf('closed: Stays open').length === 1, 'its end is told');
  expect(event.alerts.filter(({ channel }) => channel === 'email')).toHaveLength(1);
  for (const one of [stays, ends]) await client.call('deleteRule', { params: { rule: one.id } });
});

it('waits for another mute, and is told at once when a mute or a pause is lifted', async () => {
  const rule = await ruleFor('Lifted');
  const mute = await muteFor(3_600_000, rule.id);
  await level(-300);
  await level(-50);
  await eventOf(rule.id, muted);
  // Another of the device goes on when this one is lifted.
  const other = (await client.call('mute', {
    body: { sort: 'device', target: id, until: Date.now() + 3_600_000, reason: '' },
  } as never)) as { id: number };
  await client.call('unmute', { params: { mute: mute.id } });
  await new Promise((resolve) => setTimeout(resolve, 6000));
  expect(mailsOf('Lifted')).toHaveLength(0);
  await client.call('changeMyAlerts', { body: { ...USUAL, pausedUntil: Date.now() + 3_600_000 } });
  await client.call('unmute', { params: { mute: other.id } });
  await new Promise((resolve) => setTimeout(resolve, 6000));
  expect(mailsOf('Lifted')).toHaveLength(0);
  await client.call('changeMyAlerts', { body: USUAL });
  await until(() => mailsOf('Lifted').length === 1, 'it is told when the pause is lifted', 15_000);
  await client.call('deleteRule', { params: { rule: rule.id } });
});

it('a reminder says how it is now, since when, and the words of the rule', async () => {
  const rule = await ruleFor('Reminds', {
    repeatMs: 60_000,
    escalateMs: 2000,
    escalateTo: me,
    message: 'Go to {device}: {value}, since {since}',
  } as Partial<RuleIn>);
  await level(-300);
  await level(-50);
  await eventOf(rule.id, () => true);
  await level(-20);
  const told = await until(
    () =>
      mail
        .mails()
        .map(({ subject, text }) => `${subject}\n${text}`)
        .find((words) => words.includes('not acknowledged: Reminds')),
    'the next person is told',
  );
  expect(told).toMatch(/not acknowledged: Reminds \(Dipwell North, -20 mm, \d+ s\)/);
  expect(told).toMatch(/Go to Dipwell North: -20 mm, since \d/);
  expect(told).toMatch(/Water level of Dipwell North is -20 mm now\.\s+When it opened: -50 mm\./);
  expect(told).toMatch(/Open since \d+ \w+ \d\d:\d\d:\d\d .*, for \d+ s, and nobody has acknowledged it\./);
  await client.call('deleteRule', { params: { rule: rule.id } });
});

it('a reminder of a statistic says what it was, and takes no mean for a reading', async () => {
  const rule = await ruleFor('Often', {
    comparison: 'statistic',
    statistic: 'count',
    side: 'above',
    limit: 0,
    withinMs: 900_000,
    closeLimit: null,
    escalateMs: 1000,
    escalateTo: me,
  } as Partial<RuleIn>);
  await level(-300);
  const told = await until(
    () =>
      mail
        .mails()
        .map(({ subject, text }) => `${subject}\n${text}`)
        .find((words) => words.includes('not acknowledged: Often')),
    'the next person is told',
    45_000,
  );
  expect(told).toMatch(
    /Water level of Dipwell North is -300 mm now\.\s+When it opened: \d+ readings? in 15 min\./,
  );
  await client.call('deleteRule', { params: { rule: rule.id } });
});
