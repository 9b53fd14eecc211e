// Runs Jest on what prepare has built, and closes with one plain line of counts. A browser test that failed is tried once
// more, as a loaded machine may have been too slow for it, and the run says which were.
// `npm test -- server` leaves the long proofs of a package out (crashes, clocks, upgrades, compilers); `npm test -- proof` runs them.
import { spawnSync } from 'node:child_process';
import { chmodSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';

// What tests write is in here, so that nothing of it stays; others may pass through it, as databases run by a user of their own do.
const folder = mkdtempSync(path.join(os.tmpdir(), 'peatmoor-'));
chmodSync(folder, 0o711);

function run(name, parameters) {
  const file = path.join(folder, name);
  const { status } = spawnSync(
    process.execPath,
    ['node_modules/jest/bin/jest.js', '--json', `--outputFile=${file}`, ...parameters],
    {
      stdio: ['ignore', 'ignore', 'inherit'],
      env: { ...process.env, TMPDIR: folder, TESTS_BEGUN_FOLDER: path.join(folder, 'begun') },
    },
  );
  try {
    return { status: status ?? 1, results: JSON.parse(readFileSync(file, 'utf8')) };
  } catch {
    return { status: status ?? 1, results: null };
  }
}

const failedFiles = ({ results }) =>
  results?.testResults.filter((one) => one.status === 'failed').map(({ name }) => name) ?? [];

const asked = process.argv.slice(2);
const quick = asked.length > 0 && !asked.some((one) => one.includes('proof') || one.startsWith('-'));
const first = run('first.json', [...asked, ...(quick ? ['--testPathIgnorePatterns', '/proof/'] : [])]);
let { status } = first;
const failed = failedFiles(first);
let counts = first.results && [first.results.numPassedTests, first.results.numFailedTests];
if (failed.length > 0 && failed.every((file) => file.includes('/packages/console/test/'))) {
  const names = failed.map((file) => path.basename(file)).join(', ');
  process.stdout.write(`Tried again, in a browser: ${names}\n`);
  const second = run('second.json', ['--runTestsByPath', ...failed]);
  ({ status } = second);
  if (second.results !== null) {
    const before = first.results.testResults.filter(({ name }) => !failed.includes(name));
    const passed = before
      .flatMap(({ assertionResults }) => assertionResults)
      .filter((one) => one.status === 'passed');
    counts = [passed.length + second.results.numPassedTests, second.results.numFailedTests];
    process.stdout.write(`${status === 0 ? 'Passed' : 'Failed'} when tried again: ${names}\n`);
  }
}
process.stdout.write(counts ? `${counts[0]} passed, ${counts[1]} failed\n` : 'Jest gave no results.\n');
rmSync(folder, { recursive: true, force: true });
process.exit(status);
