import { once } from 'node:events';
import { createConnection } from 'mariadb';
import { WebSocket } from 'ws';
import { BEAT_MS, LIVE_PATH, problemCode, type ApiError, type LiveMessage } from '@peatmoor/contract';
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

let service: TestService;
let person: Person;
const device = 'dipwell-north';
let token: string;

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  ({ token } = await newDevice(person.client));
});
afterAll(() => service.stop());

const want = (until?: number) =>
  person.client.call('createCommand', {
    params: { device },
    body: { stream: 'pump', value: true, ...(until !== undefined && { until }) },
  });
const commands = () => person.client.call('listCommands', { params: { device } });
const refusedAs = (call: Promise<unknown>): Promise<string | null> =>
  call.then(
    () => null,
    (error: ApiError) => problemCode(error.problem.type),
  );

describe('a press that comes late', () => {
  it('is refused, and nothing is sent', async () => {
    expect(await refusedAs(want(Date.now() - 1))).toBe('too-late');
    expect(await commands()).toEqual([]);
  });

  it('is refused too where it waited in the service until its time was over', async () => {
    const other = await createConnection(databaseOf(service));
    await other.beginTransaction();
    await other.query('UPDATE series SET version = version + 1');
    const pressed = refusedAs(want(Date.now() + 300));
    await new Promise((resolve) => setTimeout(resolve, 600));
    await other.rollback();
    await other.end();
    expect(await pressed).toBe('too-late');
    expect(await commands()).toEqual([]);
  });

  it('is taken in time, and whoever names no time means it whenever it comes', async () => {
    await want(Date.now() + 10_000);
    await want();
    expect((await commands()).map(({ state }) => state)).toEqual(['waiting', 'expired']);
    expect(await refusedAs(want(1.5))).toBe('not-accepted');
  });
});

describe('an open page', () => {
  const open = async (options: { autoPong?: boolean } = {}) => {
    const page = new WebSocket(service.url.replace('http', 'ws') + LIVE_PATH, {
      headers: { cookie: person.cookie() },
      ...options,
    });
    const heard: LiveMessage[] = [];
    page.on('message', (data: Buffer) => heard.push(JSON.parse(data.toString()) as LiveMessage));
    await once(page, 'open');
    return { page, heard };
  };

  it('hears every few seconds that the service is there, with its time; one that answers no ping is let go', async () => {
    const { page, heard } = await open();
    const dead = await open({ autoPong: false });
    const closed = once(dead.page, 'close');
    await until(() => heard.filter(({ type }) => type === 'beat').length >= 2);
    const beat = heard.findLast((one) => one.type === 'beat');
    expect(Math.abs((beat as { now: number }).now - Date.now())).toBeLessThan(BEAT_MS + 2000);
    await closed;
    expect(page.readyState).toBe(WebSocket.OPEN);
    page.close();
  });

  it('hears that what it shows of the past is no longer right: late, deleted, made right', async () => {
    const { page, heard } = await open();
    page.send(JSON.stringify({ type: 'watch', devices: [device], arrivals: [] }));
    await until(() => heard.some(({ type }) => type === 'watching'));
    const past = (): string[][] => heard.flatMap((one) => (one.type === 'past' ? [one.streams] : []));
    await post(service, token, { level: -100, temperature: 9 });
    await until(() => heard.some((one) => one.type === 'readings' && one.values.length === 2));
    expect(past()).toEqual([]);
    await post(service, token, { at: Date.now() - 3_600_000, level: -200 });
    await until(() => past().length === 1);
    expect(past()).toEqual([['level']]);
    await person.client.call('deleteReadings', {
      params: { device },
      body: { stream: 'level', to: Date.now() - 1_800_000 },
    });
    await until(() => past().length === 2);
    await person.client.call('createCalibration', {
      params: { device },
      body: { stream: 'level', calibration: { form: 'linear', scale: 1, offset: 5 } },
    });
    await until(() => past().length >= 3);
    page.close();
  });
});
