import { createClient, type Client, type RuleIn } from '@peatmoor/contract';
import { startMailCatcher, type CaughtMail, type MailCatcher } from '@peatmoor/standins';
import { createConnection } from 'mariadb';
import {
  databaseOf,
  mqttAs,
  newDevice,
  newPerson,
  post,
  sessionFetch,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

// What an alert says first, and that it says what was done.
let mail: MailCatcher;
let service: TestService;
let person: Person;
let client: Client;
let token: string;
let me: number;
const id = 'dipwell-north';

beforeAll(async () => {
  mail = await startMailCatcher();
  service = await startService({ PEATMOOR_SMTP_URL: mail.smtpUrl });
  person = await newPerson(service);
  client = person.client;
  ({ token } = await newDevice(client));
  me = (await client.call('me')).user.id;
  const { kindId } = await client.call('readDevice', { params: { device: id } });
  await client.call('createStream', {
    params: { kind: String(kindId) },
    body: { key: 'gate', title: 'Gate', type: 'number', unit: '%' } as never,
  });
  await client.call('createStream', {
    params: { kind: String(kindId) },
    body: {
      key: 'gate_wanted',
      title: 'Gate wanted',
      type: 'number',
      unit: '%',
      direction: 'control',
      follow: { stream: 'gate', way: 'same', withinS: 1, tolerance: 3, steps: [] },
    } as never,
  });
});
afterAll(async () => {
  await service.stop();
  await mail.stop();
});

const ruleFor = (change: Partial<RuleIn>): Promise<{ id: number }> =>
  client.call('createRule', {
    body: {
      title: 'High',
      deviceId: id,
      stream: 'level',
      comparison: 'above',
      limit: -100,
      people: [me],
      ...change,
    } as RuleIn,
  });
const end = (rule: { id: number }): Promise<void> => client.call('deleteRule', { params: { rule: rule.id } });
const level = (value: number) => post(service, token, { level: value });
const mailOf = (fits: (one: CaughtMail) => boolean, what: string): Promise<CaughtMail> =>
  until(() => mail.mails().find(fits), what, 20_000);

it('says what was done, and tells as urgent what was not', async () => {
  const board = await mqttAs(service, id, token);
  await board.subscribeAsync(`moor/${id}/wanted/#`, { qos: 1 });
  board.on('message', (topic, value) => {
    const name = topic.split('/').at(-1)!;
    board.publish(`moor/${id}/applied/${name}`, value);
  });
  const rule = await ruleFor({
    title: 'Pump it out',
    actions: [
      { on: 'opened', stream: 'pump', value: 'on' },
      { on: 'opened', stream: 'gate_wanted', value: '60' },
    ],
  });
  await level(-300);
  await level(-50);
  const told = await mailOf(({ subject }) => subject.startsWith('warning: Pump it out'), 'the mail');
  expect(told.text).toMatch(/Pump of Dipwell North told on at \d\d:\d\d:\d\d: the board says that it did\./);
  // The gate does not move: nothing follows.
  const undone = await mailOf(
    ({ subject }) => subject.startsWith('urgent: not done: Pump it out'),
    'that it was not done',
  );
  expect(undone.text).toMatch(/Gate wanted of Dipwell North was told 60 %: not confirmed \(.*\)/);
  const events = await client.call('listEvents', { query: { rule: rule.id } });
  expect(
    events[0]!.alerts.filter(({ phase, channel }) => phase === 'undone' && channel === 'email'),
  ).toHaveLength(1);
  board.end(true);
  await end(rule);
});

it('an urgent one waits for no notices to the same person, and goes by itself; of several the most severe is said first', async () => {
  const calm = [];
  for (const title of ['First', 'Second', 'Third'])
    calm.push(await ruleFor({ title, severity: title === 'Second' ? 'warning' : 'notice' }));
  // A long row of messages came before: whatever is not urgent waits.
  const connection = await createConnection(databaseOf(service));
  await connection.query('UPDATE alertPaces SET nextAt = ?, burst = 3', [Date.now() + 55_000]);
  await level(-300);
  await level(-50);
  await until(async () => (await client.call('listEvents', { query: { state: 'open' } })).length === 3);
  // One of them is under way, to a server that did not take it.
  const [row] = (await connection.query(
    "SELECT id FROM alerts WHERE state = 'waiting' AND subject LIKE '%First%' LIMIT 1",
  )) as { id: number }[];
  await connection.query('UPDATE alerts SET messageId = ?, error = ?, dueAt = ? WHERE id = ?', [
    'under-way',
    'The mail server did not take it.',
    Date.now() + 600_000,
    row!.id,
  ]);
  const urgent = await ruleFor({ title: 'Flood', limit: -40, severity: 'urgent' });
  await connection.query('UPDATE alertPaces SET nextAt = ?, burst = 1', [Date.now() - 1]);
  await level(-30);
  const flood = await mailOf(({ subject }) => subject.startsWith('urgent: Flood'), 'the urgent one');
  expect(flood.text).not.toMatch(/First|Second|Third/);
  // The others come later, together.
  await connection.query("UPDATE alerts SET messageId = NULL, error = '' WHERE messageId = 'under-way'");
  await connection.query('UPDATE alertPaces SET nextAt = 1, burst = 0');
  await connection.query("UPDATE alerts SET dueAt = 1 WHERE state = 'waiting'");
  const rest = await mailOf(({ subject }) => subject.endsWith(', and 2 more'), 'the others');
  expect(rest.subject).toMatch(/^warning: Second/);
  expect(rest.text.indexOf('Second')).toBeLessThan(rest.text.indexOf('First'));
  await connection.end();
  for (const one of [...calm, urgent]) await end(one);
});

it('calls a statistic what it is, and a place by its distance', async () => {
  const { kindId } = await client.call('readDevice', { params: { device: id } });
  await client.call('createStream', {
    params: { kind: String(kindId) },
    body: { key: 'spot', title: 'Spot', type: 'location' } as never,
  });
  const within = { withinMs: 900_000, severity: 'urgent', closeLimit: null } as const;
  const rules = [
    await ruleFor({
      title: 'Mean',
      comparison: 'statistic',
      statistic: 'mean',
      side: 'above',
      limit: -290,
      ...within,
    }),
    await ruleFor({
      title: 'Count',
      comparison: 'statistic',
      statistic: 'count',
      side: 'above',
      limit: 1,
      ...within,
    }),
    await ruleFor({
      title: 'Away',
      stream: 'spot',
      comparison: 'beyond',
      area: { shape: 'circle', lat: 53.4, lon: -1.9, metres: 100 },
      severity: 'urgent',
    } as Partial<RuleIn>),
  ];
  await post(service, token, { level: -300, spot: [53.4, -1.9] });
  await post(service, token, { level: -200, spot: [53.41, -1.9] });
  const all = async (): Promise<string> =>
    mail
      .mails()
      .map(({ subject, text }) => `${subject}\n${text}`)
      .join('\n');
  for (const words of [
    /urgent: Mean \(Dipwell North, mean -\d+(\.\d+)? mm over 15 min\)/,
    /The mean of Water level of Dipwell North over 15 min is -\d+(\.\d+)? mm\./,
    /urgent: Count \(Dipwell North, \d readings in 15 min\)/,
    /\d readings of Water level of Dipwell North came in 15 min\./,
    /Spot of Dipwell North is 111\d m from the middle of the circle\./,
  ])
    await until(async () => words.test(await all()), String(words), 40_000);
  for (const rule of rules) await end(rule);
});

it('each is told in their own units, language and zone, a reminder too', async () => {
  const { link } = await client.call('addPerson', { body: { name: 'Abroad', role: 'viewer' } });
  const abroad = createClient({ baseUrl: service.url, fetch: sessionFetch() });
  await abroad.call('join', {
    body: {
      secret: link.split('#')[1]!,
      email: 'abroad@quillmere.example',
      password: 'cotton grass and reeds',
    },
  });
  await abroad.call('changeMe', {
    body: { units: 'imperial', language: 'de', zone: 'Asia/Tokyo' } as never,
  });
  const theirs = (await abroad.call('me')).user.id;
  // What was told before holds nothing up.
  const connection = await createConnection(databaseOf(service));
  await connection.query('UPDATE alertPaces SET nextAt = 1, burst = 0');
  await connection.end();
  const rule = await ruleFor({ title: 'Told apart', people: [me, theirs], repeatMs: 3000 });
  await level(-300);
  await level(-50);
  const of = (to: string, begins: string): Promise<CaughtMail> =>
    mailOf((one) => one.to.includes(to) && one.subject.startsWith(begins), `a mail to ${to}`);
  const here = await of(person.email, 'warning: Told apart');
  const there = await of('abroad@', 'warning: Told apart');
  expect(here.text).toMatch(/Water level of Dipwell North is -50 mm\./);
  expect(there.text).toMatch(/Water level of Dipwell North is -1,97 in\./);
  expect(there.subject).toContain('-1,97 in');
  expect(there.text).toMatch(/is above -3,9\d* in/);
  expect(there.text).toMatch(/Opened \d+\. \S+ \d\d:\d\d:\d\d GMT\+9\./);
  // The event itself stays as it is.
  expect((await client.call('listEvents', { query: { rule: rule.id } }))[0]!.sentence).toContain('-100 mm');
  expect((await of('abroad@', 'still open: Told apart')).text).toMatch(/is -1,97 in now\./);
  expect((await of(person.email, 'still open: Told apart')).text).toMatch(/is -50 mm now\./);
  await end(rule);
});
