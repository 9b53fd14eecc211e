import { createConnection } from 'mariadb';
import { problemCode, type ApiError, type NewStream } from '@peatmoor/contract';
import {
  databaseOf,
  mqttAs,
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
let token: string;
let kindId: number;
const device = 'dipwell-north';

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  ({ token } = await newDevice(person.client));
  ({ kindId } = await person.client.call('readDevice', { params: { device } }));
  await add({ key: 'gate', title: 'Gate', unit: '%' });
  await add({ key: 'lamp', title: 'Lamp', type: 'boolean', direction: 'control' });
  await add({ key: 'light', title: 'Light', unit: 'lx' });
});
afterAll(() => service.stop());

const add = (stream: Partial<NewStream> & { key: string; title: string }) =>
  person.client.call('createStream', {
    params: { kind: kindId },
    body: { type: 'number', ...stream } as NewStream,
  });
const control = (follow: Record<string, unknown>, key = 'gate_wanted') => ({
  key,
  title: 'Gate wanted',
  unit: '%',
  direction: 'control' as const,
  follow: follow as unknown as NewStream['follow'],
});
const want = (stream: string, value: number | boolean) =>
  person.client.call('createCommand', { params: { device }, body: { stream, value } });
const command = (id: number) => person.client.call('readCommand', { params: { command: id } });
const stateOf = async (id: number) => (await command(id)).state;
const fieldOf = (call: Promise<unknown>): Promise<string | undefined> =>
  call.then(
    () => undefined,
    (error: ApiError) => error.problem.errors?.[0]?.field ?? problemCode(error.problem.type) ?? '?',
  );

it('what must follow is checked with the kind: a measured datastream of the same quantity, steps that the control takes', async () => {
  const follow = { stream: 'gate', way: 'same', withinS: 5, tolerance: 3, steps: [] };
  expect(await fieldOf(add(control({ ...follow, stream: 'gone' })))).toBe('follow.stream');
  expect(await fieldOf(add(control({ ...follow, stream: 'light' })))).toBe('follow.stream');
  expect(await fieldOf(add(control({ ...follow, stream: 'lamp' })))).toBe('follow.stream');
  expect(await fieldOf(add(control({ ...follow, way: 'level' })))).toBe('follow.steps');
  expect(
    await fieldOf(add(control({ ...follow, way: 'level', steps: [{ wanted: 'on', min: 1, max: null }] }))),
  ).toBe('follow.steps[0].wanted');
  expect(await fieldOf(add(control({ ...follow, withinS: 0 })))).toMatch(/withinS/);
  await add(control(follow));
  expect(
    await fieldOf(person.client.call('deleteStream', { params: { kind: kindId, stream: 'gate' } })),
  ).toMatch(/changed|conflict|not-possible/);
});

it('is confirmed when a reading comes within the tolerance, however the board reports, and says what it waits for', async () => {
  await post(service, token, { gate: 20 });
  const { id } = await want('gate_wanted', 60);
  expect((await command(id)).follow).toEqual({ stream: 'gate', min: 57, max: 63, until: null });
  const board = await mqttAs(service, device, token);
  await board.subscribeAsync(`moor/${device}/wanted/#`, { qos: 1 });
  await until(async () => (await stateOf(id)) === 'sent');
  await post(service, token, { gate: 40 });
  await board.publishAsync(`moor/${device}/applied/gate_wanted`, '60', { qos: 1 });
  await until(async () => (await stateOf(id)) === 'applied');
  expect((await command(id)).follow!.until).toBeGreaterThan(Date.now());
  await board.publishAsync(`moor/${device}/report`, '{"gate":58}', { qos: 1 });
  await until(async () => (await stateOf(id)) === 'confirmed');
  const done = await command(id);
  expect(done.confirmedAt).toBeGreaterThanOrEqual(done.appliedAt!);
  await board.endAsync();
});

it('is not confirmed when nothing followed in its time; a rule says so, and closes once it is; late it may be all the same', async () => {
  const rule = await person.client.call('createRule', {
    body: {
      title: 'The gate is stuck',
      kindId,
      deviceId: null,
      stream: 'gate_wanted',
      comparison: 'not-confirmed',
    } as never,
  });
  expect(rule.sentence).toBe(
    'When a wanted Gate wanted of any Dipwell North kind is not confirmed; closes when one is.',
  );
  const current = (await person.client.call('readKind', { params: { kind: kindId } })).streams.find(
    ({ key }) => key === 'gate_wanted',
  )!;
  const { id: _id, ...body } = current;
  await person.client.call('changeStream', {
    params: { kind: kindId, stream: 'gate_wanted' },
    body: { ...body, follow: { ...current.follow!, withinS: 1 } },
  });
  const { id } = await want('gate_wanted', 90);
  await fetch(`${service.url}/device/wanted`, { headers: { authorization: `Bearer ${token}` } });
  await post(service, token, { gate: 61 });
  await until(async () => (await stateOf(id)) === 'not-confirmed');
  expect((await command(id)).note).toBe('Gate should be 87 to 93 %, and was 61 % after 1 s');
  const events = () => person.client.call('listEvents', { query: { device } });
  await until(async () => (await events()).some(({ closedAt }) => closedAt === null));
  expect((await events())[0]!.sentence).toMatch(/The gate|Gate wanted 90 %: Gate should be 87 to 93 %/);
  await post(service, token, { gate: 88 });
  await until(async () => (await stateOf(id)) === 'confirmed');
  await until(async () => (await events()).every(({ closedAt }) => closedAt !== null));
});

it('another quantity may follow: a rise since it was wanted, for each wanted value; without a reading before, none is told', async () => {
  const { id: _id, ...lamp } = (
    await person.client.call('readKind', { params: { kind: kindId } })
  ).streams.find(({ key }) => key === 'lamp')!;
  const steps = [
    { wanted: 'on', min: 200, max: null },
    { wanted: 'off', min: null, max: -200 },
  ];
  await person.client.call('changeStream', {
    params: { kind: kindId, stream: 'lamp' },
    body: { ...lamp, follow: { stream: 'light', way: 'rise', withinS: 30, tolerance: 0, steps } },
  });
  expect((await want('lamp', true)).follow).toBeNull();
  await post(service, token, { light: 100 });
  const { id, follow } = await want('lamp', true);
  expect(follow).toMatchObject({ min: 300, max: null });
  const wanted = async () =>
    void (await fetch(`${service.url}/device/wanted`, { headers: { authorization: `Bearer ${token}` } }));
  await wanted();
  await post(service, token, { light: 299 });
  await post(service, token, { light: 320 });
  await until(async () => (await stateOf(id)) === 'confirmed');
  // Whoever wants something else no longer waits for the first.
  const first = await want('lamp', false);
  await wanted();
  await until(async () => (await stateOf(first.id)) === 'sent');
  const second = await want('lamp', true);
  await post(service, token, { light: 10 });
  await until(async () => (await stateOf(first.id)) === 'expired');
  expect(await stateOf(second.id)).toBe('waiting');
});

it('what was so before the board was told proves nothing; what waits is looked at after a restart too', async () => {
  await post(service, token, { at: Date.now() - 10_000, gate: 40 });
  const { id } = await want('gate_wanted', 40);
  await post(service, token, { at: Date.now() - 5000, gate: 40.5 });
  expect(await stateOf(id)).toBe('waiting');
  await fetch(`${service.url}/device/wanted`, { headers: { authorization: `Bearer ${token}` } });
  await until(async () => (await stateOf(id)) === 'sent');
  expect((await command(id)).follow!.until).not.toBeNull();
  await service.restart();
  await post(service, token, { gate: 41 });
  await until(async () => (await stateOf(id)) === 'confirmed');
});

describe('what may go wrong while something is waited for', () => {
  const told = async () =>
    void (await fetch(`${service.url}/device/wanted`, { headers: { authorization: `Bearer ${token}` } }));
  const streamNow = async (key: string) => {
    const { streams } = await person.client.call('readKind', { params: { kind: kindId } });
    const { id: _id, ...stream } = streams.find((one) => one.key === key)!;
    return stream;
  };
  const changeStream = (key: string, more: Partial<NewStream>, now: NewStream) =>
    person.client.call('changeStream', { params: { kind: kindId, stream: key }, body: { ...now, ...more } });

  it('what follows may be renamed: it is found by the key it had', async () => {
    await changeStream('gate', { key: 'gate_now', title: 'Gate now' }, await streamNow('gate'));
    const { id } = await want('gate_wanted', 33);
    expect((await command(id)).follow!.stream).toBe('gate_now');
    await told();
    await until(async () => (await stateOf(id)) === 'sent');
    await post(service, token, { gate: 33 });
    await until(async () => (await stateOf(id)) === 'confirmed');
    await changeStream('gate_now', { key: 'gate' }, await streamNow('gate_now'));
  });

  it('values that are made right count as they are shown', async () => {
    await person.client.call('createCalibration', {
      params: { device },
      body: { stream: 'gate', calibration: { form: 'linear', scale: 1, offset: 10 } },
    });
    const { id } = await want('gate_wanted', 70);
    await told();
    await until(async () => (await stateOf(id)) === 'sent');
    await post(service, token, { gate: 70 });
    await post(service, token, { gate: 60 });
    await until(async () => (await stateOf(id)) === 'confirmed');
    const [kept] = await person.client.call('listCalibrations', { params: { device } });
    await person.client.call('deleteCalibration', { params: { device, calibration: kept!.id } as never });
  });

  it('nothing that a board says ends the waiting: values beside it, refused ones, other datastreams, very many', async () => {
    const { id } = await want('gate_wanted', 12);
    await told();
    await until(async () => (await stateOf(id)) === 'sent');
    await post(service, token, { gate: 'twelve', light: 12 });
    await post(
      service,
      token,
      Array.from({ length: 2000 }, (_, i) => ({ at: Date.now() - 600_000 + i, gate: 12 })),
    );
    await post(service, token, { gate: 90 });
    expect(await stateOf(id)).toBe('sent');
    await post(service, token, { gate: 12.5 });
    await until(async () => (await stateOf(id)) === 'confirmed');
  });

  it('what can no longer be confirmed is waited for no more: it is not looked at again and again', async () => {
    const { id } = await want('gate_wanted', 47);
    await told();
    await until(async () => (await stateOf(id)) === 'sent');
    const connection = await createConnection(databaseOf(service));
    // It was ended without its device, as one is that was moved to a kind without the control.
    await connection.query("UPDATE commands SET state = 'expired', followUntil = ? WHERE id = ?", [
      Date.now() - 5000,
      id,
    ]);
    await connection.end();
    await service.restart();
    const again = await createConnection(databaseOf(service));
    await until(async () => {
      const [row] = (await again.query('SELECT followUntil FROM commands WHERE id = ?', [id])) as {
        followUntil: number | null;
      }[];
      return row!.followUntil === null;
    });
    expect(await stateOf(id)).toBe('expired');
    await again.end();
  });

  it('a control that loses what must follow it ends its waiting in a sentence; a device that is deleted, without a word', async () => {
    const now = await streamNow('gate_wanted');
    const { id } = await want('gate_wanted', 5);
    await told();
    await until(async () => (await stateOf(id)) === 'sent');
    await changeStream('gate_wanted', { follow: null }, now);
    // It was promised for this one; the next expects nothing.
    expect((await command(id)).follow).not.toBeNull();
    expect((await want('gate_wanted', 6)).follow).toBeNull();
    await changeStream('gate_wanted', { follow: now.follow }, await streamNow('gate_wanted'));
    await want('gate_wanted', 7);
    await told();
    await person.client.call('deleteDevice', { params: { device } });
    const health = (await (await fetch(`${service.url}/health`)).json()) as { ok: boolean };
    expect(health.ok).toBe(true);
  });
});
