import http from 'node:http';
import {
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
afterEach(() => service.stop());

/** The metrics by name and labels, as they are told. */
async function read(
  headers: Record<string, string> = {},
): Promise<{ status: number; type: string; text: string }> {
  const response = await fetch(`${service.url}/metrics`, { headers });
  return {
    status: response.status,
    type: response.headers.get('content-type') ?? '',
    text: await response.text(),
  };
}
const value = (text: string, name: string): number =>
  Number(new RegExp(`^${name.replace(/[{}"=]/g, '\\$&')} (\\S+)`, 'm').exec(text)?.[1]);

it('tells the machine itself what was counted, in OpenMetrics, and nobody else', async () => {
  service = await startService();
  const { client } = await newPerson(service);
  const { token } = await newDevice(client);
  const before = value((await read()).text, 'peatmoor_readings_total') || 0;
  await post(
    service,
    token,
    [1, 2, 3].map((level, i) => ({ at: Date.now() - i * 1000, level })),
  );
  await fetch(`${service.url}/api/nothing`);
  await until(
    async () => value((await read()).text, 'peatmoor_readings_total') - before === 3,
    'the readings',
  );
  const { status, type, text } = await read();
  expect([status, type]).toEqual([200, expect.stringContaining('application/openmetrics-text')]);
  expect(text.trimEnd().endsWith('# EOF')).toBe(true);
  expect(value(text, 'peatmoor_commit_seconds_count')).toBeGreaterThan(0);
  expect(value(text, 'peatmoor_database_up')).toBe(1);
  expect(text).toMatch(/peatmoor_reader_behind_entries\{reader="rules"\} \d/);
  expect(text).toMatch(/peatmoor_http_seconds_count\{method="GET",status="4xx"\} [1-9]/);
  expect(text).toContain('process_cpu_seconds_total');
  // Nothing of what is in a workspace, and no names that grow with what is sent.
  expect(text).not.toMatch(/dipwell|quillmere|nothing/i);
  // A proxy on this machine asks for others.
  expect((await read({ 'x-forwarded-for': '192.0.2.1' })).status).toBe(403);
  await new Promise((resolve) =>
    http.request(`${service.url}/metrics`, { method: 'PROPFIND' }, resolve).end(),
  );
  expect((await read()).text).not.toContain('PROPFIND');
});

it('tells whoever has the key, where one is set', async () => {
  service = await startService({ PEATMOOR_METRICS_KEY: 'sphagnum and heather' });
  expect((await read()).status).toBe(403);
  expect((await read({ authorization: 'Bearer sphagnum and heathes' })).status).toBe(403);
  expect(
    (await read({ authorization: 'Bearer sphagnum and heather', 'x-forwarded-for': '192.0.2.1' })).status,
  ).toBe(200);
});
