import { createClient, importFile, type Client } from '@peatmoor/contract';
import { WebSocket } from 'ws';
import { newPerson, post, readingsOf, startService, type TestService } from '../../../test/support/service';

const HOUR = 3_600_000;
const DAY = 24 * HOUR;
const id = 'dipwell-north';
let service: TestService;
let client: Client;
let cookie: () => string;
let token: string;
/** Noon, thirty days ago, so that no day of the test is today. */
const noon = Math.floor((Date.now() - 30 * DAY) / DAY) * DAY + 12 * HOUR;

beforeAll(async () => {
  service = await startService();
  const person = await newPerson(service);
  ({ client, cookie } = person);
  ({ token } = await client.call('createDevice', {
    body: {
      name: 'Dipwell North',
      id,
      newKind: {
        title: 'Dipwell',
        streams: [
          {
            key: 'level',
            title: 'Water level',
            type: 'number',
            unit: 'mm',
            decimals: 1,
            min: -800,
            max: 200,
          },
          { key: 'pump', title: 'Pump', type: 'boolean' },
          { key: 'gate', title: 'Gate', type: 'choice', choices: ['closed', '=open'] },
          { key: 'state', title: 'State', type: 'text' },
        ],
      },
    },
  }));
});
afterAll(() => service.stop());

const problem = (promise: Promise<unknown>) =>
  promise.then(
    () => ({ status: 200, detail: '', errors: [] as { field: string }[] }),
    (error: { problem: { status: number; detail: string; errors?: { field: string }[] } }) => ({
      errors: [],
      ...error.problem,
    }),
  );
const take = (query: string, headers: Record<string, string> = { cookie: cookie() }) =>
  fetch(`${service.url}/api/devices/${id}/export?${query}`, { headers });
const send = async (rows: object[]) => expect((await post(service, token, rows)).status).toBe(200);
const levelAt = async (from: number, to: number) =>
  (await client.call('history', { params: { device: id }, query: { streams: 'level', from, to } })).lines[0]!;

describe('looking back by the calendar', () => {
  beforeAll(() =>
    send([
      { at: noon, level: 1 },
      { at: noon + HOUR, level: 3 },
      { at: noon + 2 * DAY, level: 10, pump: true },
    ]),
  );

  it('gives days of a time zone, the empty ones too', async () => {
    const query = { stream: 'level', from: noon - 1, to: noon + 2 * DAY + 1, step: 'day' as const };
    const { buckets } = await client.call('calendar', {
      params: { device: id },
      query: { ...query, zone: 'Europe/Dublin' },
    });
    expect(buckets.map(({ count, min, max, mean, last }) => [count, min, max, mean, last])).toEqual([
      [2, 1, 3, 2, 3],
      [0, null, null, null, null],
      [1, 10, 10, 10, 10],
    ]);
    // Half an hour beside the kept spans: the same readings, other bounds.
    const india = await client.call('calendar', {
      params: { device: id },
      query: { ...query, zone: 'Asia/Kathmandu' },
    });
    expect(india.buckets.reduce((sum, { count }) => sum + count, 0)).toBe(3);
    expect(india.buckets[0]!.from % HOUR).not.toBe(0);
  });

  it('refuses a zone that is none, a text, too many steps and a period that ends before it begins', async () => {
    const call = (query: object) =>
      problem(
        client.call('calendar', {
          params: { device: id },
          query: { stream: 'level', from: noon, to: noon + DAY, ...query } as never,
        }),
      );
    expect((await call({ zone: 'Moor/Hut' })).errors[0]!.field).toBe('zone');
    expect((await call({ stream: 'state' })).errors[0]!.field).toBe('stream');
    expect((await call({ stream: 'levle' })).detail).toContain('"level"');
    expect((await call({ step: 'hour', to: noon + 9000 * HOUR })).errors[0]!.field).toBe('step');
    expect((await call({ to: noon })).errors[0]!.field).toBe('to');
  });

  it('gives statistics of a period', async () => {
    const one = await client.call('statistics', {
      params: { device: id },
      query: { stream: 'level', from: noon - DAY, to: noon + 3 * DAY },
    });
    expect(one).toMatchObject({ count: 3, min: 1, max: 10, sum: 14, longestGapMs: 2 * DAY - HOUR });
    expect(one.mean).toBeCloseTo(14 / 3);
    expect(one.deviation).toBeCloseTo(4.7258, 3);
    expect(one.last).toEqual({ at: noon + 2 * DAY, value: 10 });
    const none = await client.call('statistics', {
      params: { device: id },
      query: { stream: 'level', from: 0, to: 1 },
    });
    expect(none).toEqual({
      count: 0,
      min: null,
      max: null,
      mean: null,
      sum: null,
      deviation: null,
      first: null,
      last: null,
      longestGapMs: null,
    });
  });
});

describe('taking readings away', () => {
  const period = `from=${noon - DAY}&to=${noon + 3 * DAY}`;
  it('as CSV, JSON and SenML, a row for each time', async () => {
    const csv = await (await take(`format=csv&${period}`)).text();
    expect(csv.split('\r\n')).toEqual([
      'at,level,pump,gate,state',
      `${new Date(noon).toISOString()},1,,,`,
      `${new Date(noon + HOUR).toISOString()},3,,,`,
      `${new Date(noon + 2 * DAY).toISOString()},10,1,,`,
      '',
    ]);
    const json = (await (await take(`format=json&${period}`)).json()) as object[];
    expect(json.at(-1)).toEqual({ at: new Date(noon + 2 * DAY).toISOString(), level: 10, pump: 1 });
    const senml = (await (await take(`format=senml&streams=level,pump&${period}`)).json()) as object[];
    expect(senml[0]).toMatchObject({ bn: 'dipwell-north/', n: 'level' });
    expect(senml.slice(-2)).toEqual([
      { n: 'level', u: 'mm', t: (noon + 2 * DAY) / 1000, v: 10 },
      { n: 'pump', t: (noon + 2 * DAY) / 1000, vb: true },
    ]);
  });

  it('as a sheet in local time, with titles and units, and nothing a spreadsheet would run', async () => {
    await send([{ at: noon + HOUR / 2, gate: '=open' }]);
    const response = await take(`format=sheet&zone=Europe/Dublin&streams=level,gate&${period}`);
    expect(response.headers.get('content-disposition')).toContain('dipwell-north.csv');
    const [header, first, second] = (await response.text()).split('\r\n');
    expect(header).toBe('date,time,offset,Water level (mm),Gate');
    const local = new Date(noon).toLocaleTimeString('en-GB', { timeZone: 'Europe/Dublin' });
    const summer = local.startsWith(new Date(noon).toISOString().slice(11, 13)) ? '+00:00' : '+01:00';
    expect(first).toBe(`${new Date(noon).toISOString().slice(0, 10)},${local}.000,${summer},1.0,`);
    expect(second).toMatch(/,,'=open$/);
  });

  it('texts and places beside the numbers, places as GeoJSON and GPX, and says that images are left out', async () => {
    const { token: fresh } = await client.call('createDevice', {
      body: {
        name: 'Pony <grey> & quiet',
        id: 'pony',
        newKind: {
          title: 'Collar',
          streams: [
            { key: 'battery', title: 'Battery', type: 'number', unit: 'V' },
            { key: 'place', title: 'Place', type: 'location' },
            { key: 'seen', title: 'Seen', type: 'text' },
            { key: 'picture', title: 'Picture', type: 'image' },
          ],
        },
      },
    });
    const rows = [0, 1, 2].map((i) => ({
      at: noon + i * 1000,
      place: `53.4${i},-1.9,${200 + i}`,
      ...(i !== 1 && { battery: 3.9, seen: 'a heron, "wet"' }),
    }));
    const report = await fetch(`${service.url}/device/report`, {
      method: 'POST',
      headers: { authorization: `Bearer ${fresh}`, 'content-type': 'application/json' },
      body: JSON.stringify(rows),
    });
    expect(await report.json()).toMatchObject({ accepted: 7, refused: [] });
    const pony = (format: string, more = '') =>
      fetch(`${service.url}/api/devices/pony/export?format=${format}${more}`, {
        headers: { cookie: cookie() },
      });
    const response = await pony('csv');
    if (response.status !== 200) throw new Error(await response.text());
    expect(response.headers.get('peatmoor-left-out')).toBe('picture');
    const csv = await response.text();
    const iso = (i: number) => new Date(noon + i * 1000).toISOString();
    const seen = '"a heron, ""wet"""';
    expect(csv.split('\r\n')).toEqual([
      'at,battery,place,seen',
      `${iso(0)},3.9,"53.4,-1.9,200",${seen}`,
      `${iso(1)},,"53.41,-1.9,201",`,
      `${iso(2)},3.9,"53.42,-1.9,202",${seen}`,
      '',
    ]);
    const bring = async (body: { csv: string; zone?: string }) =>
      client.call('importRows', { params: { device: 'pony' }, body });
    expect(await bring({ csv })).toMatchObject({ accepted: 7, refused: 0 });
    expect(((await (await pony('json')).json()) as object[])[1]).toEqual({
      at: iso(1),
      place: { lat: 53.41, lon: -1.9, alt: 201 },
    });
    const { features } = (await (await pony('geojson')).json()) as { features: { geometry: object }[] };
    expect(features.map(({ geometry }) => geometry)).toContainEqual({
      type: 'Point',
      coordinates: [-1.9, 53.41, 201],
    });
    const gpx = await (await pony('gpx', '&streams=place')).text();
    expect(gpx).toContain('<name>Pony &#60;grey&#62; &#38; quiet</name>');
    expect(gpx.match(/<trkpt lat="53\.4\d?" lon="-1\.9"><ele>20\d<\/ele><time>20/g)).toHaveLength(3);
    const none = await take(`format=gpx&${period}`);
    const problem = (await none.json()) as { errors: { field: string }[] };
    expect([none.status, problem.errors[0]!.field]).toEqual([422, 'format']);
    // As a sheet it can be brought back too, with its titles and local times.
    const sheet = await (await pony('sheet', '&zone=Europe/Dublin')).text();
    expect(await bring({ csv: sheet, zone: 'Europe/Dublin' })).toMatchObject({ accepted: 7, refused: 0 });
    expect(await (await pony('csv')).text()).toBe(csv);
  });

  it('what was taken away as CSV or SenML can be brought back', async () => {
    const { token: fresh } = await client.call('createDevice', {
      body: {
        name: 'Copy',
        id: 'copy',
        kindId: (await client.call('readDevice', { params: { device: id } })).kindId,
      },
    });
    const csv = await (await take(`format=csv&${period}`)).text();
    const imported = await client.call('importRows', { params: { device: 'copy' }, body: { csv } });
    expect(imported).toMatchObject({ refused: 0, errors: [] });
    const again = await client.call('importRows', { params: { device: 'copy' }, body: { csv } });
    expect(again).toEqual(imported);
    const back = await fetch(`${service.url}/api/devices/copy/export?format=csv&${period}`, {
      headers: { cookie: cookie() },
    });
    expect(await back.text()).toBe(csv);
    const senml = (await (await take(`format=senml&streams=level&${period}`)).text()).replace(id, 'copy');
    const response = await fetch(`${service.url}/device/report`, {
      method: 'POST',
      headers: { authorization: `Bearer ${fresh}`, 'content-type': 'application/senml+json' },
      body: senml,
    });
    expect(await response.json()).toEqual({ accepted: 3, refused: [] });
  });

  it('a device’s own export, brought back, doubles nothing, with times of their own and without', async () => {
    const { token: fresh } = await client.call('createDevice', {
      body: {
        name: 'Own',
        id: 'own',
        kindId: (await client.call('readDevice', { params: { device: id } })).kindId,
      },
    });
    // Without a time, several at once; and with one.
    await Promise.all([-1, -2, -3, -4].map((level) => post(service, fresh, { level })));
    await post(service, fresh, { at: Date.now() - 5000, level: -5 });
    const own = (format: string) =>
      fetch(`${service.url}/api/devices/own/export?format=${format}&days=1`, {
        headers: { cookie: cookie() },
      });
    const before = await (await own('csv')).text();
    expect(before.trim().split('\r\n')).toHaveLength(6);
    // Four lie between the milliseconds, and an export says so.
    expect(before.match(/T[\d:]+\.\d{3}5Z/g)).toHaveLength(4);
    const bring = async (device: string, format: string) =>
      importFile(
        client,
        device,
        new Uint8Array(await (await own(format)).arrayBuffer()),
        { try: false, zone: 'UTC' },
        () => undefined,
      );
    for (let n = 0; n < 2; n++)
      for (const format of ['csv', 'sheet&values=raw&zone=UTC', 'json', 'senml']) {
        expect(await bring('own', format)).toMatchObject({ accepted: 5, refused: 0 });
        expect(await (await own('csv')).text()).toBe(before);
      }
    // Brought to another device they are there as they were, and once, whatever form they come in.
    await client.call('createDevice', {
      body: {
        name: 'Twin',
        id: 'twin',
        kindId: (await client.call('readDevice', { params: { device: id } })).kindId,
      },
    });
    for (const format of ['senml', 'csv', 'json']) {
      await bring('twin', format);
      const twin = await fetch(`${service.url}/api/devices/twin/export?format=csv&days=1`, {
        headers: { cookie: cookie() },
      });
      expect(await twin.text()).toBe(before);
    }
  });

  it('comes in parts that one report takes, each with where the next begins', async () => {
    const name = 'parted';
    const { token: fresh } = await client.call('createDevice', {
      body: {
        name,
        id: name,
        newKind: {
          title: name,
          streams: ['a', 'b'].map((key) => ({ key, title: key, type: 'number' as const })),
        },
      },
    });
    for (let part = 0; part < 3; part++)
      await post(
        service,
        fresh,
        Array.from({ length: 4000 }, (_, i) => ({ at: noon + (part * 4000 + i) * 1000, a: i, b: -i })),
      );
    const address = `/api/devices/${name}/export?format=senml&from=0&most=10000&access_token=`;
    const sizes: number[] = [];
    let next: string | undefined = address;
    while (next !== undefined) {
      const response: Response = await fetch(service.url + next, { headers: { cookie: cookie() } });
      const pack = (await response.json()) as object[];
      sizes.push(pack.length);
      const back = await fetch(`${service.url}/device/report`, {
        method: 'POST',
        headers: { authorization: `Bearer ${fresh}`, 'content-type': 'application/senml+json' },
        body: JSON.stringify(pack),
      });
      expect(await back.json()).toEqual({ accepted: pack.length, refused: [] });
      next = /<([^>]+)>; rel="next"/.exec(response.headers.get('link') ?? '')?.[1];
      expect(next ?? '').not.toContain('access_token');
    }
    expect(sizes).toEqual([10_000, 10_000, 4000]);
    expect((await take('format=sheet&most=5')).status).toBe(422);
    expect((await take('format=csv&most=10001')).status).toBe(422);
  });

  it('a hundred thousand readings come as a stream', async () => {
    const { token: many } = await client.call('createDevice', {
      body: {
        name: 'Many',
        id: 'many',
        newKind: { title: 'Many', streams: [{ key: 'v', title: 'V', type: 'number' }] },
      },
    });
    for (let part = 0; part < 10; part++) {
      const rows = Array.from(
        { length: 10_000 },
        (_, i) => `${noon + (part * 10_000 + i) * 7000},${i % 100}`,
      );
      const response = await fetch(`${service.url}/device/report`, {
        method: 'POST',
        headers: { authorization: `Bearer ${many}`, 'content-type': 'text/csv' },
        body: `at,v\n${rows.join('\n')}`,
      });
      expect(await response.json()).toEqual({ accepted: 10_000, refused: [] });
    }
    const response = await fetch(`${service.url}/api/devices/many/export?format=csv&from=0`, {
      headers: { cookie: cookie() },
    });
    let lines = 0;
    for await (const part of response.body as unknown as AsyncIterable<Uint8Array>)
      for (const byte of part) if (byte === 10) lines++;
    expect(lines).toBe(100_001);
    // What waits until more can be written leaves nothing behind, however often.
    expect(service.program.output()).not.toMatch(/MaxListeners/);
    // Who goes away in the middle costs nothing afterwards, and the next one gets all.
    const gone = new AbortController();
    const some = await fetch(`${service.url}/api/devices/many/export?format=csv&from=0`, {
      headers: { cookie: cookie(), 'accept-encoding': 'identity' },
      signal: gone.signal,
    });
    await some.body!.getReader().read();
    gone.abort();
    const whole = await fetch(`${service.url}/api/devices/many/export?format=zip&from=0`, {
      headers: { cookie: cookie() },
    });
    expect((await whole.arrayBuffer()).byteLength).toBeGreaterThan(100_000);
    expect(service.program.output()).not.toMatch(/MaxListeners|PREMATURE/);
  });

  it('says what is wrong with what was asked', async () => {
    const status = async (query: string) => (await take(query)).status;
    expect(await status('format=xml')).toBe(422);
    expect(await status('streams=state')).toBe(200);
    expect(await status('streams=nothing')).toBe(422);
    expect(await status('zone=Moor')).toBe(422);
    expect((await take('format=csv', {})).status).toBe(401);
  });
});

describe('an import', () => {
  it('looks first, names each row that is refused, and takes the others', async () => {
    const csv = `at,level,gate\n${new Date(noon + 5 * DAY).toISOString()},5,closed\n${noon + 6 * DAY},900,ajar\nnever,1,\n,2,\n`;
    const body = { csv, firstRow: 1002 };
    const tried = await client.call('importRows', { params: { device: id }, body: { ...body, try: true } });
    expect(tried).toMatchObject({ rows: 4, accepted: 2, refused: 4 });
    expect(tried.errors.map(({ row, name, reason }) => [row, name, reason])).toEqual([
      [1003, 'level', 'out-of-range'],
      [1003, 'gate', 'wrong-type'],
      [1004, 'at', 'wrong-type'],
      [1005, 'at', 'wrong-type'],
    ]);
    expect((await levelAt(noon + 4 * DAY, noon + 7 * DAY)).times).toEqual([]);
    expect(await client.call('importRows', { params: { device: id }, body })).toEqual(tried);
    expect((await levelAt(noon + 4 * DAY, noon + 7 * DAY)).values).toEqual([5]);
  });

  it('refuses what is no CSV', async () => {
    const call = (csv: string) =>
      problem(client.call('importRows', { params: { device: id }, body: { csv } }));
    expect((await call('level')).errors[0]!.field).toBe('csv');
    expect((await call('')).errors[0]!.field).toBe('csv');
  });
});

describe('deleting readings by hand', () => {
  it('counts first, deletes a period or all, with what was rolled up, and keeps a record', async () => {
    const start = noon + 10 * DAY;
    await send(Array.from({ length: 500 }, (_, i) => ({ at: start + i * 60_000, level: i % 100 })));
    const remove = (body: object) =>
      client.call('deleteReadings', { params: { device: id }, body: { stream: 'level', ...body } });
    const part = { from: start + 100 * 60_000, to: start + 300 * 60_000 };
    expect(await remove({ ...part, try: true })).toEqual({ count: 200 });
    expect((await levelAt(start, start + DAY)).times).toHaveLength(500);
    expect(await remove(part)).toEqual({ count: 200 });
    expect(await remove(part)).toEqual({ count: 0 });
    const left = await levelAt(start, start + DAY);
    expect(left.times).toHaveLength(300);
    expect(left.times.filter((at) => at >= part.from && at < part.to)).toEqual([]);
    const wide = await client.call('history', {
      params: { device: id },
      query: { streams: 'level', from: start - 20 * DAY, to: start + 20 * DAY, buckets: 50 },
    });
    const narrow = await client.call('history', {
      params: { device: id },
      query: { streams: 'level', from: start, to: start + DAY, buckets: 1000 },
    });
    const total = (line: { count: number[] }) => line.count.reduce((sum, one) => sum + one, 0);
    expect(total(narrow.lines[0]!)).toBe(300);
    expect(total(wide.lines[0]!)).toBeGreaterThanOrEqual(300);
    const [record] = await client.call('listCorrections', { params: { device: id } });
    expect(record).toMatchObject({ stream: 'level', count: 0, by: 'Warden', from: part.from });
    await send([{ at: Date.now(), state: 'dry' }]);
    expect(await remove({ stream: 'state' })).toEqual({ count: 1 });
    expect(await remove({})).toMatchObject({ count: expect.any(Number) });
    expect(await readingsOf(client, id, 'level')).toEqual([]);
    const device = await client.call('readDevice', { params: { device: id } });
    expect(device.newest.map(({ key }) => key)).not.toContain('level');
    expect(device.newest.map(({ key }) => key)).not.toContain('state');
  });
});

describe('an access key', () => {
  const withKey = (secret: string) =>
    createClient({ baseUrl: service.url, headers: { authorization: `Bearer ${secret}` } });

  it('of one device looks at that device only, also by its address alone', async () => {
    const key = await client.call('createKey', {
      body: { title: 'spreadsheet', scope: 'read-device', deviceId: id, days: 30 },
    });
    expect(key).toMatchObject({ scope: 'read-device', deviceId: id });
    expect(key.endsAt! - Date.now()).toBeGreaterThan(29 * DAY);
    const reader = withKey(key.secret);
    expect((await reader.call('readDevice', { params: { device: id } })).id).toBe(id);
    expect((await take(`format=sheet&days=1&access_token=${key.secret}`, {})).status).toBe(200);
    const refusedCalls = await Promise.all(
      [
        reader.call('readDevice', { params: { device: 'copy' } }),
        reader.call('listDevices'),
        reader.call('listKeys'),
        reader.call('createKey', { body: { title: 'more' } }),
        reader.call('changeDevice', { params: { device: id }, body: { name: 'Mine' } }),
        reader.call('reportByHand', { params: { device: id }, body: { values: { level: 1 } } }),
      ].map((call: Promise<unknown>) => problem(call)),
    );
    expect(refusedCalls.map(({ status }) => status)).toEqual(refusedCalls.map(() => 403));
    const images = await fetch(`${service.url}/api/devices/copy/images/level`, {
      headers: { authorization: `Bearer ${key.secret}` },
    });
    expect([403, 404]).toContain(images.status);
    const live = new WebSocket(`${service.url.replace('http', 'ws')}/api/live`, {
      headers: { authorization: `Bearer ${key.secret}` },
    });
    const refused = await new Promise((resolve) =>
      live.once('error', resolve).once('open', () => resolve(null)),
    );
    expect(String(refused)).toContain('401');
  });

  it('for reporting reports for its device and does nothing else', async () => {
    const { secret } = await client.call('createKey', {
      body: { title: 'script', scope: 'report-device', deviceId: id },
    });
    const reporter = withKey(secret);
    expect(
      await reporter.call('reportByHand', { params: { device: id }, body: { values: { level: 7 } } }),
    ).toMatchObject({ accepted: 1 });
    const refusedCalls = await Promise.all(
      [
        reporter.call('reportByHand', { params: { device: 'copy' }, body: { values: { level: 7 } } }),
        reporter.call('readDevice', { params: { device: id } }),
        reporter.call('listDevices'),
      ].map((call: Promise<unknown>) => problem(call)),
    );
    expect(refusedCalls.map(({ status }) => status)).toEqual(refusedCalls.map(() => 403));
  });

  it('for looking looks everywhere and changes nothing; a wrong one is refused by field', async () => {
    const { secret, id: keyId } = await client.call('createKey', { body: { title: 'wall', scope: 'read' } });
    const reader = withKey(secret);
    expect((await reader.call('listDevices')).length).toBeGreaterThan(1);
    expect((await problem(reader.call('deleteDevice', { params: { device: 'copy' } }))).status).toBe(403);
    await client.call('deleteKey', { params: { key: keyId } });
    expect((await problem(reader.call('listDevices'))).status).toBe(401);
    const wrong = (body: object) => problem(client.call('createKey', { body: { title: 'x', ...body } }));
    expect((await wrong({ scope: 'read-device' })).errors[0]!.field).toBe('deviceId');
    expect((await wrong({ scope: 'read', deviceId: id })).errors[0]!.field).toBe('deviceId');
    // A device that is not seen answers as one that is not there.
    expect((await wrong({ scope: 'read-device', deviceId: 'nowhere' })) as object).toMatchObject({
      status: 404,
    });
    expect((await wrong({ days: 0 })).errors[0]!.field).toBe('days');
  });
});

it('gives choices, booleans and colours with their texts, beside the numbers they are kept as', async () => {
  await post(service, token, { gate: '=open', pump: true, at: Date.now() - 60_000 });
  const { newest } = await client.call('readDevice', { params: { device: id } });
  expect(newest.find(({ key }) => key === 'gate')).toMatchObject({ value: 1, text: '=open' });
  expect(newest.find(({ key }) => key === 'pump')).toMatchObject({ value: 1, text: 'on' });
  const { lines } = await client.call('history', {
    params: { device: id },
    query: { streams: 'gate,pump', from: Date.now() - HOUR, to: Date.now() },
  });
  expect(lines.map(({ choices }) => choices)).toEqual([['closed', '=open'], undefined]);
});
