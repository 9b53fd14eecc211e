import { spawn } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { createClient, type Client } from '@peatmoor/contract';
import { CLI } from '../../../test/support/cli';
import {
  mqttAs,
  newFolder,
  newPerson,
  post,
  startService,
  type TestService,
} from '../../../test/support/service';

jest.setTimeout(240_000);

const DOCS = path.resolve(__dirname, '../../../docs');
let service: TestService;
let client: Client;
const folder = newFolder();

/** Lines that are not run here, and why. */
const ELSEWHERE: [RegExp, string][] = [
  [/^peatmoor sign-in/, 'the test signs in by itself'],
  [/^peatmoor device install/, 'needs a board; install.test has one'],
];

/** Commands of the documentation, file by file, as they stand. */
const FILES = [
  path.resolve(DOCS, '../README.md'),
  ...fs.readdirSync(DOCS).map((name) => path.join(DOCS, name)),
]
  .filter((file) => file.endsWith('.md') && !file.endsWith('command-line.md'))
  .map((file): [string, string[]] => [
    path.basename(file),
    [...fs.readFileSync(file, 'utf8').matchAll(/```sh\n([^]*?)```/g)].flatMap(([, block]) =>
      block!.split('\n').filter((line) => line.startsWith('peatmoor ')),
    ),
  ])
  .filter(([, lines]) => lines.length > 0);

beforeAll(async () => {
  service = await startService();
  const person = await newPerson(service);
  ({ client } = person);
  await shell(
    `peatmoor sign-in --url ${service.url} --email ${person.email} --password ${JSON.stringify(person.password)}`,
  );
  const north = await client.call('createDevice', {
    body: {
      name: 'Dipwell North',
      newKind: {
        title: 'Dipwell',
        streams: [{ key: 'water_level', title: 'Water level', type: 'number', unit: 'mm' }],
      },
    },
  });
  const mill = await client.call('createDevice', {
    body: {
      name: 'Sluice Mill',
      newKind: {
        title: 'Sluice',
        streams: [
          { key: 'automatic', title: 'Automatic', type: 'boolean', direction: 'control' },
          {
            key: 'opening_wanted',
            title: 'Opening wanted',
            type: 'number',
            unit: '%',
            min: 0,
            max: 100,
            direction: 'control',
          },
        ],
      },
    },
  });
  await post(
    service,
    north.token,
    [1, 2, 3].map((i) => ({ at: Date.now() - i * 60_000, water_level: -100 - i })),
  );
  const { link } = await client.call('addPerson', { body: { name: 'Helper', role: 'none' } });
  await createClient({ baseUrl: service.url }).call('join', {
    body: {
      secret: link!.split('#')[1]!,
      email: 'helper@quillmere.example',
      password: 'cotton grass and reeds',
    },
  });
  await client.call('createStarterDashboard', { params: { device: 'dipwell-north' } });
  // A board that does what is wanted.
  const board = await mqttAs(service, 'sluice-mill', mill.token);
  board.on('message', (topic, payload) =>
    board.publish(topic.replace('wanted', 'applied'), payload, { qos: 1 }),
  );
  await board.subscribeAsync('moor/sluice-mill/wanted/#', { qos: 1 });
  fs.writeFileSync(path.join(folder, 'old-logger.csv'), 'at,water_level\n2026-10-01T10:00:00Z,-120\n');
  fs.mkdirSync(path.join(folder, '.pio/build/board'), { recursive: true });
  fs.writeFileSync(path.join(folder, '.pio/build/board/firmware.bin'), 'moor-firmware:1.1.0:');
});
afterAll(async () => {
  await service.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

/** Runs a line as a person would type it, in a folder of its own; `endless` ones are stopped after a while. */
function shell(line: string, endless = false): Promise<{ code: number | null; said: string }> {
  const child = spawn(
    '/bin/sh',
    ['-c', `peatmoor() { exec "${process.execPath}" "${CLI}" "$@"; }\n${line}`],
    {
      cwd: folder,
      env: { ...process.env, PEATMOOR_CLI_CONFIG: path.join(folder, 'cli.json'), PEATMOOR_PASSWORD: '' },
      stdio: ['ignore', 'pipe', 'pipe'],
    },
  );
  let said = '';
  child.stdout.on('data', (part: Buffer) => (said += part.toString()));
  child.stderr.on('data', (part: Buffer) => (said += part.toString()));
  if (endless) setTimeout(() => child.kill('SIGINT'), 3000);
  return new Promise((resolve) => child.once('close', (code) => resolve({ code, said })));
}

/** Numbers that a reader sees in the line before stand for those of this workspace. */
async function asHere(line: string): Promise<string> {
  if (line.includes('person-3')) {
    const people = await client.call('listPeople');
    return line.replace('person-3', people.find(({ name }) => name === 'Helper')!.id);
  }
  if (/share withdraw 2/.test(line)) {
    const links = await client.call('listLinks', { query: {} } as never);
    return line.replace(' 2', ` ${(links as { id: number }[])[0]!.id}`);
  }
  return line;
}

it.each(FILES)('the commands of %s do what they say', async (_file, lines) => {
  const wrong: string[] = [];
  for (const line of lines) {
    if (ELSEWHERE.some(([pattern]) => pattern.test(line))) continue;
    const endless = /^peatmoor follow/.test(line);
    const { code, said } = await shell(await asHere(line), endless);
    if (endless ? /✗/.test(said) : code !== 0) wrong.push(`${line} ended with ${code}: ${said.slice(-300)}`);
  }
  expect(wrong).toEqual([]);
});

it('knows why each line that is not run is not', () => {
  const all = FILES.flatMap(([, lines]) => lines);
  expect(all.length).toBeGreaterThan(30);
  for (const [pattern, why] of ELSEWHERE)
    expect([why, all.some((line) => pattern.test(line))]).toEqual([why, true]);
});
