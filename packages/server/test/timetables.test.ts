import { createConnection } from 'mariadb';
import { ApiError, type TimetableIn } from '@peatmoor/contract';
import {
  databaseOf,
  newDevice,
  newPerson,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let person: Person;
const device = 'dipwell-north';
const EVERY_DAY = [1, 2, 3, 4, 5, 6, 7];

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  await newDevice(person.client);
});
afterAll(() => service.stop());

const minuteOf = (at: number): number => Math.floor(at / 60_000) % 1440;
const make = (body: Partial<TimetableIn> = {}) =>
  person.client.call('createTimetable', {
    params: { device },
    body: {
      title: 'Pump at night',
      stream: 'pump',
      times: [{ days: EVERY_DAY, base: 'clock', minutes: 120, value: 'on' }],
      ...body,
    },
  });
const commands = () => person.client.call('listCommands', { params: { device } });
const refused = (call: Promise<unknown>) =>
  call.then(
    () => null,
    (error: ApiError) => error.problem.errors?.[0]?.field ?? error.message,
  );
/** Has a timetable stand as if it had been due then, and nobody had been there. */
const stoodSince = async (id: number, at: number): Promise<void> => {
  const other = await createConnection(databaseOf(service));
  await other.query('UPDATE timetables SET nextAt = ? WHERE id = ?', [at, id]);
  await other.end();
};

it('says when it next wants what, by the clock of the workspace and the sun of its place', async () => {
  const one = await make();
  expect(one.next!.value).toBe('on');
  expect(minuteOf(one.next!.at)).toBe(120);
  const sun = [{ days: EVERY_DAY, base: 'sunset' as const, minutes: -20, value: 'off' }];
  expect(await refused(make({ times: sun }))).toBe('times[0].base');
  await person.client.call('changeWorkspace', {
    body: { zone: 'Asia/Kathmandu', place: { lat: 27.7, lon: 85.3 } },
  });
  const moved = await person.client.call('readTimetable', { params: { timetable: one.id } });
  expect(moved.zone).toBe('Asia/Kathmandu');
  // Two in the morning there, which is a quarter hour off.
  expect(minuteOf(moved.next!.at)).toBe((120 - 345 + 1440) % 1440);
  const dusk = await make({ title: 'Dusk', times: sun });
  const hour = (new Date(dusk.next!.at).getUTCHours() + 5.75) % 24;
  expect(hour).toBeGreaterThan(16);
  expect(hour).toBeLessThan(20);
  await person.client.call('changeWorkspace', { body: { zone: 'UTC' } });
  await person.client.call('deleteTimetable', { params: { timetable: dusk.id } });
});

it('the overview leaves out what its reader left out, of their own rows alone', async () => {
  const lines = async (): Promise<string[]> =>
    (await person.client.call('overview')).lines
      .filter((line) => line.device === device)
      .map(({ key }) => key);
  const before = await lines();
  const kind = (await person.client.call('listDevices')).find(({ id }) => id === device)!.kindId;
  const leaveOut = (leftOut: object[]) => person.client.call('changeMe', { body: { leftOut } as never });
  await leaveOut([{ kind, streams: [before[0]!] }]);
  expect(await lines()).toEqual(before.slice(1));
  // A kind or a key that there is not, or not any more, does nothing.
  await leaveOut([
    { kind: 99_999, streams: [before[0]!] },
    { kind, streams: ['not_there'] },
  ]);
  expect(await lines()).toEqual(before);
  const many = Array.from({ length: 4 }, (_, i) => ({
    kind: i + 1,
    streams: Array.from({ length: 100 }, (_one, n) => `s${n}`),
  }));
  expect(await refused(leaveOut(many))).toBe('leftOut');
  expect(await refused(leaveOut([{ kind, streams: ['Not a key'] }]))).toBe('leftOut[0].streams[0]');
  expect(await refused(leaveOut([{ kind: -1, streams: ['a'] }]))).toBe('leftOut[0].kind');
  expect(await lines()).toEqual(before);
  // What is of somebody else's workspace is not kept, and so says nothing of what there is.
  const stranger = await newPerson(service);
  const theirs = (await newDevice(stranger.client, 'Elsewhere')).device.kindId;
  const mine = { kind, streams: [before[0]!] };
  const answer = await leaveOut([{ kind: theirs, streams: ['level'] }, mine]);
  expect(answer.user.leftOut).toEqual([mine]);
  expect((await person.client.call('me')).user.leftOut).toEqual([mine]);
  await leaveOut([]);
});

it('refuses what cannot be: values the control does not take, no control, days and minutes that are none, too many', async () => {
  const [time] = [{ days: [1], base: 'clock' as const, minutes: 5, value: 'on' }];
  expect(await refused(make({ times: [{ ...time, value: 'perhaps' }] }))).toBe('times[0].value');
  expect(await refused(make({ stream: 'level' }))).toBe('stream');
  expect(await refused(make({ times: [{ ...time, days: [8] }] }))).toMatch(/days/);
  expect(await refused(make({ times: [{ ...time, minutes: 1440 }] }))).toMatch(/minutes/);
  expect(await refused(make({ times: [] }))).toMatch(/times/);
  expect(await refused(make({ times: Array.from({ length: 51 }, () => time) }))).toMatch(/times/);
});

it('wants the value at its time, once, and in the name of the timetable; what was missed only where that is said', async () => {
  await until(() => Date.now() % 60_000 < 35_000, 'the beginning of a minute', 60_000);
  const now = Date.now();
  const minute = Math.floor(now / 60_000) * 60_000;
  const at = (ms: number, value: string) => [
    { days: EVERY_DAY, base: 'clock' as const, minutes: minuteOf(ms), value },
  ];
  const due = await make({ title: 'Now', times: at(minute, 'on') });
  const missed = await make({ title: 'Missed', times: at(now - 3_600_000, 'off') });
  await stoodSince(due.id, minute);
  await stoodSince(missed.id, Math.floor((now - 3_600_000) / 60_000) * 60_000);
  await service.restart();
  await until(async () => (await commands()).some(({ by }) => by === 'timetable “Now”'));
  const read = (id: number) => person.client.call('readTimetable', { params: { timetable: id } });
  await until(async () => (await read(missed.id)).note === 'missed a set time');
  expect((await commands()).filter(({ by }) => by.startsWith('timetable'))).toHaveLength(1);
  expect((await read(due.id)).next!.at).toBe(minute + 86_400_000);
  // The same with making up: what would be so by now.
  const made = await make({ title: 'Made up', times: at(now - 3_600_000, 'off'), catchUp: true });
  await stoodSince(made.id, Math.floor((now - 3_600_000) / 60_000) * 60_000 - 86_400_000);
  await service.restart();
  const newest = await until(async () => (await commands()).find(({ by }) => by === 'timetable “Made up”'));
  expect(newest.value).toBe(0);
  expect((await read(made.id)).next!.at).toBeGreaterThan(Date.now());
});

it('goes with its device and its datastream, and is switched off and on', async () => {
  const one = await make({ title: 'Off', active: false });
  expect(one.next).toBeNull();
  const { deviceId: _d, next: _n, note: _o, zone: _z, id, version, ...body } = one;
  const on = await person.client.call('changeTimetable', {
    params: { timetable: id },
    body: { ...body, active: true },
    ifVersion: version,
  });
  expect(on.next).not.toBeNull();
  expect(
    await refused(
      person.client.call('changeTimetable', { params: { timetable: id }, body, ifVersion: version }),
    ),
  ).toMatch(/changed meanwhile/);
  await person.client.call('deleteDevice', { params: { device } });
  expect(await person.client.call('listTimetables')).toEqual([]);
});

it('notes stand at their times on the axis of a device, never ahead of now, and go with it', async () => {
  const { device: made } = await newDevice(person.client, 'Dipwell South');
  const params = { device: made.id };
  const at = Date.now() - 3_600_000;
  const note = await person.client.call('createNote', { params, body: { at, text: 'Sensor cleaned' } });
  await person.client.call('createNote', { params, body: { text: 'Raining' } });
  expect(await refused(person.client.call('createNote', { params, body: { text: ' ' } }))).toBe('text');
  expect(
    await refused(
      person.client.call('createNote', { params, body: { at: Date.now() + 3_600_000, text: 'x' } }),
    ),
  ).toBe('at');
  const texts = async (query = {}) =>
    (await person.client.call('listNotes', { params, query })).map(({ text }) => text);
  expect(await texts()).toEqual(['Raining', 'Sensor cleaned']);
  expect(await texts({ from: at, to: at + 1 })).toEqual(['Sensor cleaned']);
  await person.client.call('deleteNote', { params: { note: note.id } });
  expect(await texts()).toEqual(['Raining']);
});

it('a person keeps their own choices, and a new password ends the other sessions', async () => {
  const change = (body: object) => person.client.call('changeMe', { body });
  expect((await change({ favourites: [3, 1], start: '/dashboards/3' })).user).toMatchObject({
    favourites: [3, 1],
    start: '/dashboards/3',
  });
  expect(await refused(change({ start: '//elsewhere.example' }))).toBe('start');
  expect(await refused(person.client.call('changeWorkspace', { body: { zone: 'Moss/Quillmere' } }))).toBe(
    'zone',
  );
  expect((await person.client.call('me')).user.favourites).toEqual([3, 1]);
  expect(await refused(change({ language: 'xx' }))).toBe('language');
  expect(await refused(change({ zone: 'Moss/Quillmere' }))).toBe('zone');
  // Two pages at once: each keeps what it changed, and what neither said stays.
  await Promise.all([
    change({ language: 'de' }),
    change({ zone: 'Asia/Tokyo' }),
    change({ units: 'imperial' }),
  ]);
  expect((await person.client.call('me')).user).toMatchObject({
    ...{ language: 'de', zone: 'Asia/Tokyo', units: 'imperial', favourites: [3, 1] },
  });
  expect((await change({ zone: '' })).user).toMatchObject({ zone: '', language: 'de' });
  const wrong = person.client.call('changePassword', {
    body: { before: 'not it', password: 'a new password' },
  });
  expect(await refused(wrong)).toBe('before');
});
