import { pino } from 'pino';
import { createConnection, type Connection } from 'mariadb';
import { startKeeping } from '../src/history/keeping';
import { openStore } from '../src/store/store';
import {
  databaseOf,
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

const DAY_MS = 86_400_000;
const log = pino({ level: 'silent' });
let service: TestService;
let person: Person;
let connection: Connection;
const params = { device: 'dipwell-north' };

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  const { device, token } = await newDevice(person.client);
  const { client } = person;
  await client.call('createRule', {
    body: {
      title: 'High',
      deviceId: device.id,
      stream: 'level',
      comparison: 'above',
      limit: 0,
      actions: [{ on: 'opened', deviceId: null, stream: 'pump', value: 'on' }],
    } as never,
  });
  await post(service, token, { level: 50 });
  await until(async () => (await client.call('listCommands', { params })).length > 0, 'what the rule wants');
  connection = await createConnection({ ...databaseOf(service), bigIntAsNumber: true });
});
afterAll(async () => {
  await connection.end();
  await service.stop();
});

it('a page of an event finds what its rule wanted by a key, however many commands there are', async () => {
  const [event] = await person.client.call('listEvents');
  const whole = await until(async () => {
    const one = await person.client.call('readEvent', { params: { event: event!.id } });
    return one.commands.length > 0 && one;
  });
  expect(whole.commands[0]).toMatchObject({ deviceId: 'dipwell-north', stream: 'pump', value: '1' });
  const plan = (await connection.query('EXPLAIN SELECT id FROM commands WHERE eventId = ?', [event!.id])) as {
    key: string;
  }[];
  expect(plan[0]!.key).toBe('ofEvent');
});

it('events, alerts and commands are kept as long as the workspace says, the newest of a control for ever', async () => {
  const { client } = person;
  const { workspace } = await client.call('me');
  expect(workspace.recordDays).toBeNull();
  await expect(client.call('changeWorkspace', { body: { recordDays: 3 } })).rejects.toThrow(/recordDays/);
  await client.call('changeWorkspace', { body: { recordDays: 100 } });
  expect((await client.call('me')).workspace.recordDays).toBe(100);
  await client.call('createCommand', { params, body: { stream: 'pump', value: false } });
  const old = Date.now() - 101 * DAY_MS;
  for (const value of [0, 1, 0])
    await connection.query(
      "INSERT INTO commands (workspaceId, deviceRowId, streamId, value, state, userName, createdAt, note) SELECT workspaceId, deviceRowId, streamId, ?, 'applied', 'Warden', ?, '' FROM commands ORDER BY id LIMIT 1",
      [value, old],
    );
  // The old ones as if they had been made first: what holds is what the newest says.
  await connection.query('UPDATE commands SET createdAt = ?', [old]);
  for (const [title, closedAt] of [
    ['Long over', old],
    ['Still open', null],
    ['Just over', Date.now()],
  ] as const) {
    await connection.query(
      "INSERT INTO events (workspaceId, ruleId, deviceRowId, title, sentence, severity, deviceName, deviceId, streamKey, openedAt, closedAt, acknowledgedBy, remark) SELECT workspaceId, ruleId, deviceRowId, ?, '', 'notice', deviceName, deviceId, streamKey, ?, ?, '', '' FROM events ORDER BY id LIMIT 1",
      [title, old, closedAt],
    );
    await connection.query(
      "INSERT INTO alerts (workspaceId, eventId, channel, recipient, phase, subject, text, state, attempts, dueAt, error) SELECT workspaceId, MAX(id), 'email', 'x@quillmere.example', 'opened', '', '', 'sent', 1, 0, '' FROM events",
    );
  }
  const store = await openStore(databaseOf(service), log);
  const keeping = startKeeping(store, log);
  await keeping.tidy(Date.now());
  keeping.stop();
  await store.close();
  const titles = (await connection.query('SELECT title FROM events ORDER BY title')) as { title: string }[];
  expect(titles.map(({ title }) => title)).toEqual(['High', 'Just over', 'Still open']);
  expect(
    await connection.query('SELECT id FROM alerts WHERE eventId NOT IN (SELECT id FROM events)'),
  ).toEqual([]);
  const commands = (await connection.query('SELECT id FROM commands')) as { id: number }[];
  expect(commands).toHaveLength(1);
});
