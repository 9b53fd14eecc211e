import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { CONDITION_NAMES } from '@peatmoor/core';
import MiniSearch from 'minisearch';
import { settingDefaults } from '../src/config';
import { newDevice, newPerson, post, startService, type TestService } from '../../../test/support/service';

const FOLDER = path.resolve(__dirname, '../../console/dist/docs');
let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterAll(() => service.stop());

it('serves its documentation to anybody, without the internet', async () => {
  const start = await fetch(`${service.url}/docs`);
  expect([start.status, start.url]).toEqual([200, `${service.url}/docs/index.html`]);
  expect(await start.text()).toContain('<h1 id="peatmoor">Peatmoor</h1>');
  expect((await fetch(`${service.url}/docs/nothing.html`)).status).toBe(404);
});

it('every link and picture of it leads somewhere', () => {
  const pages = fs.readdirSync(FOLDER).filter((name) => name.endsWith('.html'));
  expect(pages.length).toBeGreaterThan(15);
  const texts = new Map(pages.map((name) => [name, fs.readFileSync(path.join(FOLDER, name), 'utf8')]));
  const wrong: string[] = [];
  for (const [page, text] of texts)
    for (const [, address] of text.matchAll(/(?:href|src)="([^"]+)"/g)) {
      if (/^(https?:|mailto:|\/)/.test(address!)) continue;
      const [file, part = ''] = address!.split('#');
      const target = file === '' ? page : file!;
      const isThere = fs.existsSync(path.join(FOLDER, target));
      const hasPart = part === '' || (texts.get(target) ?? '').includes(`id="${part}"`);
      if (!isThere || !hasPart) wrong.push(`${page} -> ${address}`);
    }
  expect(wrong).toEqual([]);
});

it('finds what somebody looks for', () => {
  const index = MiniSearch.loadJSON(fs.readFileSync(path.join(FOLDER, 'index.json'), 'utf8'), {
    fields: ['title', 'heading', 'text'],
    storeFields: ['page', 'part', 'title', 'heading'],
  });
  const found = (words: string): unknown[] =>
    index
      .search(words, { prefix: true, fuzzy: 0.2, boost: { heading: 3, title: 2 }, combineWith: 'AND' })
      .map(({ page }) => page as unknown);
  expect(found('decimal comma')).toContain('take-your-data-away');
  expect(found('claim secret')).toContain('connect-a-board');
  expect(found('mqtt user name')).toContain('wire');
  expect(found('zzzzqq')).toEqual([]);
});

it('what it has for programs works as it stands there: with curl, Python and Node', async () => {
  const { client } = await newPerson(service);
  const { device, token } = await newDevice(client);
  await post(service, token, { level: -121 });
  const { secret } = await client.call('createKey', { body: { title: 'a program' } });
  const env = { ...process.env, URL: service.url, KEY: secret, DEVICE: device.id };
  const text = fs.readFileSync(path.resolve(__dirname, '../../../docs/from-your-program.md'), 'utf8');
  const block = (language: string): string => new RegExp(`\`\`\`${language}\n([^]*?)\`\`\``).exec(text)![1]!;
  const run = (command: string, args: string[], input?: string): string =>
    execFileSync(command, args, { env, encoding: 'utf8', ...(input !== undefined && { input }) });
  const curled = run('bash', ['-c', block('sh').replaceAll('curl', 'curl --silent --fail')]);
  expect(curled).toMatch(new RegExp(`"id":"${device.id}"[^]*at,level`));
  expect(run('python3', ['-'], block('python'))).toContain(`'level': -121`);
  const shipped = path.resolve(__dirname, '../../cli/dist/client/client.js');
  const program = block('ts').replace("'peatmoor-client'", JSON.stringify(`file://${shipped}`));
  expect(run(process.execPath, ['--input-type=module', '-'], program)).toMatch(/Dipwell North \[[^]*-121/);
});

it('names every setting with its default, and every condition of a rule', () => {
  const page = (name: string): string =>
    fs.readFileSync(path.resolve(__dirname, '../../../docs', name), 'utf8');
  const rows = [...page('run-it.md').matchAll(/^\| (`PEATMOOR_[^|]*)\|([^|]*)\|/gm)].flatMap(
    ([, names, defaults]) => {
      const all = defaults!.split(',').map((text) => text.trim());
      return [...names!.matchAll(/`(PEATMOOR_\w+)`/g)].map(([, name], i) => [name, all[i] ?? all[0]]);
    },
  );
  const settings = settingDefaults();
  expect(rows.map(([name]) => name).sort()).toEqual(Object.keys(settings).sort());
  for (const [name, said] of rows) {
    const value = settings[name!];
    // What is worked out at the start is said in words.
    if (value !== undefined) expect([name, said]).toEqual([name, String(value)]);
    else expect([name, said]).toEqual([name, expect.stringMatching(/^(–|none|by memory)$/)]);
  }
  const conditions = [...page('be-told.md').matchAll(/^\| ((?:`[a-z-]+`(?:, )?)+) \|/gm)].flatMap(
    ([, cell]) => [...cell!.matchAll(/`([a-z-]+)`/g)].map(([, name]) => name),
  );
  expect(conditions).toEqual(expect.arrayContaining([...CONDITION_NAMES]));
});
