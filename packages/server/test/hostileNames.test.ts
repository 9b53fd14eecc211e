import { execFileSync, spawnSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { PLAIN_STREAM, STARTER_SORTS, STARTERS, type StarterPlan } from '@peatmoor/core';
import { transformSync } from 'esbuild';
import { newFolder } from '../../../test/support/service';

// Whatever somebody calls a device, a datastream or a network: no starter runs it.
const NAMES = [
  '"""\nimport os; os.system(pwned())\n"""',
  "'''; pwned(); '''",
  '*/ pwned(); /*',
  '\u2028pwned();\u2029pwned()\u0085pwned()',
  '\\"; pwned(); //',
  "'; pwned; '",
  '$(pwned) `pwned` ${pwned}',
  '\r\npwned\r\n',
  '??/\npwned();',
];
const planOf = (name: string): StarterPlan => ({
  deviceId: 'sluice-mill',
  deviceName: name,
  host: '10.0.0.7',
  mqttPort: 1883,
  httpUrl: 'http://10.0.0.7:8420',
  token: name,
  wifi: { name, password: name },
  intervalS: 30,
  streams: [
    { ...PLAIN_STREAM, key: 'level', title: name, description: name, boardPin: name },
    { ...PLAIN_STREAM, key: 'gate', title: name, type: 'boolean', direction: 'control' },
  ],
});

const folder = newFolder();
afterAll(() => fs.rmSync(folder, { recursive: true, force: true }));

/** What of a file would run: its code without comments and texts. */
function running(file: string, text: string): string {
  const place = path.join(folder, 'x');
  fs.writeFileSync(place, text);
  switch (path.extname(file)) {
    case '.py':
      return execFileSync(
        '/usr/bin/python3',
        [
          '-c',
          'import ast,sys\nfor n in ast.walk(ast.parse(open(sys.argv[1]).read())):\n  if isinstance(n,(ast.Name,ast.Attribute)): print(getattr(n,"id","")or getattr(n,"attr",""))',
          place,
        ],
        { encoding: 'utf8' },
      );
    case '.mjs':
    case '.js':
      return transformSync(text, { minifyWhitespace: true, legalComments: 'none' }).code.replace(
        /"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'/g,
        '""',
      );
    case '.sh': {
      const { status, stdout } = spawnSync('/bin/sh', ['-n', place], { encoding: 'utf8' });
      expect(status).toBe(0);
      if (!file.startsWith('settings')) return stdout;
      return spawnSync('/bin/sh', ['-c', 'pwned() { echo pwned; }; . "$0"', place], { encoding: 'utf8' })
        .stdout;
    }
    case '.h':
    case '.cpp':
    case '.ino':
      return execFileSync('g++', ['-fpreprocessed', '-dD', '-E', '-P', '-x', 'c++', place], {
        encoding: 'utf8',
        stdio: ['ignore', 'pipe', 'ignore'],
      }).replace(/"(?:[^"\\\n]|\\.)*"/g, '""');
    default:
      return '';
  }
}

it.each(STARTER_SORTS)('in the %s starter nothing of a hostile name runs', (sort) => {
  for (const name of NAMES)
    for (const { path: file, text } of STARTERS[sort].make(planOf(name)))
      expect([file, name, running(file, text).includes('pwned')]).toEqual([file, name, false]);
});
