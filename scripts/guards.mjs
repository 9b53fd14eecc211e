/** Shows that each guard bites: a sample that breaks it must be refused by the rule that is meant to. */
import { ESLint } from 'eslint';

// A machine that says it is CI has files looked at as they are on disk, and not as the samples are.
delete process.env.CI;

const CORE = 'packages/core/src/words.ts';
const SERVER = 'packages/server/src/problems.ts';
const CONSOLE = 'packages/console/src/api.ts';

/** Rule, file the sample stands for, sample. */
const SAMPLES = [
  ['no-restricted-properties', CORE, 'export const now = (): number => Date.now();'],
  ['no-restricted-syntax', CORE, 'export const now = (): Date => new Date();'],
  ['no-restricted-syntax', CORE, 'export const now = (): string => Date();'],
  ['no-restricted-properties', CORE, 'export const dice = (): number => Math.random();'],
  ['no-restricted-globals', CORE, 'export const later = (): unknown => setTimeout(() => undefined, 1);'],
  ['no-restricted-globals', CORE, 'export const where = (): string => process.cwd();'],
  ['no-restricted-globals', CORE, 'export const now = (): number => performance.now();'],
  ['no-restricted-syntax', CORE, "import fs from 'node:fs';\nexport const read = fs.readFileSync;"],
  [
    'no-restricted-imports',
    CORE,
    "import { endpoints } from '@peatmoor/contract';\nexport const all = endpoints;",
  ],
  ['no-restricted-imports', SERVER, "import { api } from '@peatmoor/console';\nexport const all = api;"],
  [
    'no-restricted-imports',
    CONSOLE,
    "import { startService } from '@peatmoor/server';\nexport const start = startService;",
  ],
  [
    '@typescript-eslint/no-floating-promises',
    SERVER,
    'const work = async (): Promise<void> => {};\nexport const go = (): void => {\n  work();\n};',
  ],
  [
    '@typescript-eslint/no-floating-promises',
    CONSOLE,
    'const work = async (): Promise<void> => {};\nexport const go = (): void => {\n  work();\n};',
  ],
  [
    '@typescript-eslint/no-misused-promises',
    SERVER,
    'const work = async (): Promise<boolean> => true;\nexport const go = (): number => (work() ? 1 : 2);',
  ],
  [
    '@typescript-eslint/await-thenable',
    SERVER,
    'export const go = async (): Promise<void> => {\n  await 5;\n};',
  ],
  [
    'no-restricted-syntax',
    CONSOLE.replace('api.ts', 'App.tsx'),
    'import { Typography } from "@mui/material";\nexport const soft = <Typography color="text.secondary" />;',
  ],
  [
    'no-restricted-syntax',
    CONSOLE,
    'export const day = (at: number): string => new Date(at).toLocaleDateString("en-GB");',
  ],
  ['no-console', SERVER, "export const tell = (): void => console.log('x');"],
  ['import-x/no-default-export', SERVER, 'export default 1;'],
  ['eqeqeq', SERVER, 'export const same = (a: number, b: number): boolean => a == b;'],
];

const eslint = new ESLint();
let toothless = 0;
for (const [rule, file, sample] of SAMPLES) {
  const [result] = await eslint.lintText(sample, { filePath: file });
  if (result.messages.some(({ ruleId }) => ruleId === rule)) continue;
  toothless++;
  const found = result.messages.map(({ ruleId, message }) => ruleId ?? message).join(', ') || 'nothing';
  process.stderr.write(`${rule} does not bite in ${file}: found ${found} in\n${sample}\n`);
}
if (toothless > 0) process.exit(1);
process.stdout.write(`All ${SAMPLES.length} guards bite.\n`);
