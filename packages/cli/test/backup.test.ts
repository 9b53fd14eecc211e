import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import {
  newDevice,
  newFolder,
  newPerson,
  post,
  startService,
  type TestService,
} from '../../../test/support/service';

const root = path.resolve(__dirname, '../../..');
let service: TestService;
let folder: string;

beforeAll(async () => {
  service = await startService();
  folder = newFolder();
});
afterAll(async () => {
  await service.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

/** A command just as the README and docs/back-it-up.md give it. */
const peatmoor = (data: string, ...args: string[]): string =>
  execFileSync('npm', ['run', '-s', 'peatmoor', '--', ...args], {
    cwd: root,
    encoding: 'utf8',
    env: { ...process.env, PEATMOOR_DATA: data },
    stdio: ['ignore', 'pipe', 'pipe'],
  });

it('backs up, verifies and restores by the built command', async () => {
  const { client } = await newPerson(service);
  const { token } = await newDevice(client);
  expect((await post(service, token, { level: -121 })).status).toBe(200);
  const file = path.join(folder, 'moss.sql.gz');
  expect(peatmoor(service.dataFolder, 'backup', file, '--verify')).toMatch(/can be restored/);
  expect(peatmoor(service.dataFolder, 'backup', file, '--only-verify')).toMatch(/can be restored/);
  const again = path.join(folder, 'again');
  expect(peatmoor(again, 'restore', file)).toMatch(/Restored the backup/);
  expect(fs.existsSync(path.join(again, 'restore-unfinished'))).toBe(false);
});
