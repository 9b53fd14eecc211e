import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import fs from 'node:fs';
import path from 'node:path';
import { startPrompt, type BoardPrompt } from '../../../test/support/boardPrompt';
import { CLI, cliIn } from '../../../test/support/cli';
import {
  newDevice,
  newFolder,
  newPerson,
  post,
  startService,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let board: BoardPrompt | null = null;
let cable: ChildProcess | null = null;
const folder = newFolder();
const run = cliIn(folder);

beforeAll(async () => {
  service = await startService();
  const person = await newPerson(service);
  await newDevice(person.client);
  const { email, password } = person;
  expect((await run('sign-in', '--url', service.url, '--email', email, '--password', password)).code).toBe(0);
});
afterEach(async () => {
  cable?.kill();
  await board?.stop();
  board = cable = null;
});
afterAll(async () => {
  await service.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

/** Plugs a board in: the real MicroPython behind a pseudo-terminal. Gives the name of the port. */
async function plugIn(files: Record<string, string> = {}, starts = true): Promise<string> {
  const prompt = startPrompt(files);
  board = prompt;
  cable = spawn('/usr/bin/python3', [path.join(__dirname, '../../../test/support/cable.py')]);
  cable.stdout!.on('data', (bytes: Buffer) => prompt.type(bytes));
  prompt.onSent = (bytes) => {
    cable?.stdin!.write(bytes);
    if (starts && bytes.includes('soft reboot'))
      // What main.py would do, with the token that stands on the board.
      void prompt.file('settings.py').then((text) => {
        const token = /DEVICE_TOKEN = "([^"]+)"/.exec(text ?? '')?.[1] ?? '';
        return post(service, token, { level: -77 });
      });
  };
  const [name] = (await once(cable.stderr!, 'data')) as [Buffer];
  return name.toString().trim();
}

it('puts the starter on a board with a token of its own, starts it, and shows what arrives', async () => {
  const port = await plugIn({ 'main.py': 'mine' });
  const { code, out, err } = await run(
    'device',
    'install',
    'dipwell-north',
    '--port',
    port,
    '--wifi',
    'moss',
  );
  expect([code, err]).toEqual([0, '']);
  expect(out).toContain('board   Starting as the board');
  expect(out).toMatch(/service ✓ level -77/);
  expect(out).toContain('Left as they are: main.py');
  expect(out).toContain('The board has no umqtt.simple');
  expect(out).toContain('The first reading of Dipwell North has come.');
  const settings = await board!.file('settings.py');
  expect(settings).toContain('WIFI_NAME = "moss"');
  expect(settings).toMatch(/DEVICE_TOKEN = "moor/);
  expect(await board!.file('main.py')).toBe('mine');
  expect(await board!.file('firmware.py')).toContain('def gives_way');
});

it('takes the files of a folder, and says what is missing where nothing comes', async () => {
  const port = await plugIn({ 'main.py': 'mine' }, false);
  const own = path.join(folder, 'own');
  fs.mkdirSync(path.join(own, 'lib'), { recursive: true });
  expect((await run('device', 'install', 'dipwell-north', '--port', port, '--from', own)).err).toContain(
    'has no main.py',
  );
  fs.writeFileSync(path.join(own, 'main.py'), 'print("of the folder")\n');
  fs.writeFileSync(path.join(own, 'lib/well.py'), '# é');
  const outcome = await run(
    'device',
    'install',
    'dipwell-north',
    '--port',
    port,
    '--from',
    own,
    '--watch',
    '2s',
  );
  expect(outcome.code).toBe(1);
  expect(outcome.out).toContain('No reading of Dipwell North has come yet');
  expect(await board!.file('main.py')).toBe('print("of the folder")\n');
  expect(await board!.file('lib/well.py')).toBe('# é');
});

it('says in plain words what is wrong with a port', async () => {
  const why = async (...args: string[]) => (await run('device', 'install', 'dipwell-north', ...args)).err;
  expect(await why('--port', '/dev/nowhere')).toContain('There is no port /dev/nowhere');
  expect(await why('--port', '/dev/null')).toMatch(/cannot be opened/);
  expect((await run('device', 'install', 'nobody', '--port', '/dev/nowhere')).err).toContain('no device');
  cable = spawn('/usr/bin/python3', [path.join(__dirname, '../../../test/support/cable.py')]);
  const [name] = (await once(cable.stderr!, 'data')) as [Buffer];
  expect(await why('--port', name.toString().trim())).toContain('No MicroPython prompt answers');
  expect((await run('device', 'ports')).code).toBe(0);
});

it('opens a port by the system where the serial library is not beside it, as in the client that the service gives away', async () => {
  const port = await plugIn();
  const alone = path.join(folder, 'alone.mjs');
  fs.copyFileSync(CLI, alone);
  const { code, out, err } = await cliIn(folder, alone)('device', 'install', 'dipwell-north', '--port', port);
  expect([code, err]).toEqual([0, '']);
  expect(out).toContain('board   Starting as the board');
  expect(await board!.file('firmware.py')).toContain('def gives_way');
  const why = await cliIn(folder, alone)('device', 'install', 'dipwell-north', '--port', '/dev/nowhere');
  expect(why.err).toContain('There is no port /dev/nowhere');
});
