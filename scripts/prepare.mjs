// Makes a fresh machine ready: Debian packages, npm packages, build. Says what it does; does nothing when all is there.
import { spawnSync } from 'node:child_process';
import { existsSync, statSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '..');
process.chdir(root);
const forTests = process.argv.includes('--tests');
const forBench = process.argv.includes('--bench');

/** Debian packages by a file that each brings. The server alone is enough: it needs no system service. */
const needed = [
  ['mariadb-server-core', '/usr/sbin/mariadbd'],
  ['mariadb-client-core', '/usr/bin/mariadb'],
  // Backups: mariadb-dump.
  ['mariadb-client', '/usr/bin/mariadb-dump'],
  ...(forTests || forBench ? [['mosquitto-clients', '/usr/bin/mosquitto_pub']] : []),
  ...(forTests
    ? [
        ['chromium', '/usr/bin/chromium'],
        ['curl', '/usr/bin/curl'],
        ['g++', '/usr/bin/g++'],
        ['python3', '/usr/bin/python3'],
        ['python3-paho-mqtt', '/usr/lib/python3/dist-packages/paho/mqtt/client.py'],
      ]
    : []),
  ...(forBench ? [['mosquitto', '/usr/sbin/mosquitto']] : []),
];

const say = (text) => process.stdout.write(`${text}\n`);
const run = (command, args, options = {}) => {
  const { status, error } = spawnSync(command, args, { stdio: 'inherit', ...options });
  if (error || status !== 0) {
    say(`This step failed: ${command} ${args.join(' ')}`);
    process.exit(1);
  }
};

const missing = needed.filter(([, file]) => !existsSync(file)).map(([name]) => name);
if (missing.length > 0) {
  if (process.getuid?.() !== 0) {
    say(
      `These Debian packages are missing: ${missing.join(' ')}\nInstall them with this command, then run this again:\n\n  sudo apt-get update && sudo apt-get install -y --no-install-recommends ${missing.join(' ')}\n`,
    );
    process.exit(1);
  }
  say(`Installing Debian packages: ${missing.join(' ')} (a minute or two) …`);
  const environment = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  run('apt-get', ['update', '-qq'], { env: environment });
  run('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...missing], {
    env: environment,
    stdio: ['ignore', 'ignore', 'inherit'],
  });
}

const mark = path.join(root, 'node_modules/.package-lock.json');
if (!existsSync(mark) || statSync(mark).mtimeMs < statSync(path.join(root, 'package-lock.json')).mtimeMs) {
  say('Installing npm packages (about a minute) …');
  run('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error']);
}

const { buildIfChanged } = await import('./build.mjs');
await buildIfChanged(say);
