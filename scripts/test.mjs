// Runs Jest on what prepare has built, and closes with one plain line of counts.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';

const folder = mkdtempSync(path.join(os.tmpdir(), 'peatmoor-results-'));
const file = path.join(folder, 'results.json');
const { status } = spawnSync(
  process.execPath,
  ['node_modules/jest/bin/jest.js', '--json', `--outputFile=${file}`, ...process.argv.slice(2)],
  { stdio: ['ignore', 'ignore', 'inherit'] },
);
try {
  const { numPassedTests, numFailedTests } = JSON.parse(readFileSync(file, 'utf8'));
  process.stdout.write(`${numPassedTests} passed, ${numFailedTests} failed\n`);
} catch {
  process.stdout.write('Jest gave no results.\n');
}
rmSync(folder, { recursive: true, force: true });
process.exit(status ?? 1);
