// Builds the server of the version before, from the history of this repository, and prints where its program is.
import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '..');
const git = (...args) => execFileSync('git', args, { cwd: root, encoding: 'utf8' }).trim();
const { version } = JSON.parse(readFileSync(path.join(root, 'package.json'), 'utf8'));

/** The commit that gave a version its number. */
const commitOf = (one) =>
  git('log', '--format=%H', `-S"version": "${one}"`, '--', 'package.json').split('\n').at(-1);

// While a version is being worked on, the number is still that of the one before.
const changes = readFileSync(path.join(root, 'CHANGELOG.md'), 'utf8');
const versions = [...changes.matchAll(/^## (\d+\.\d+\.\d+)$/gm)].map(([, one]) => one);
const before = changes.includes('## Since ') ? version : versions.find((one) => one !== version);
const commit = before && commitOf(before);
if (!commit) {
  process.stderr.write(
    'The version before is not in the history of this folder: a whole clone is needed (git fetch --unshallow).\n',
  );
  process.exit(1);
}
const folder = path.join(root, 'node_modules/.cache/peatmoor-before', `${before}-${commit.slice(0, 8)}`);
const program = path.join(folder, 'packages/server/dist/main.js');
if (!existsSync(program)) {
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder, { recursive: true });
  const archive = execFileSync('git', ['archive', '--format=tar', commit], { cwd: root, maxBuffer: 1 << 28 });
  execFileSync('tar', ['-x', '-C', folder], { input: archive });
  // With the libraries of then.
  execFileSync('npm', ['ci', '--no-audit', '--no-fund'], {
    cwd: folder,
    stdio: ['ignore', 'ignore', 'inherit'],
  });
  execFileSync(process.execPath, ['scripts/build.mjs'], {
    cwd: folder,
    stdio: ['ignore', 'ignore', 'inherit'],
  });
}
process.stdout.write(`${JSON.stringify({ version: before, program })}\n`);
