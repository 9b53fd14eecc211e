import fs from 'node:fs';
import path from 'node:path';
import type { Command } from 'commander';
import { createProgram } from '../src/program';

const FILE = path.resolve(__dirname, '../../../docs/command-line.md');

/** Every command with its help, as the reference has it. */
function reference(): string {
  const parts = [
    '# The command line',
    '',
    'Made from the program itself (`npm run reference`). `--json` works with every command; colours are left out where the output is no terminal, or',
    '`NO_COLOR` is set. A command ends with 0 when it is done, with 1 when it failed and says why, with 2 when there is no such command or option.',
  ];
  const walk = (command: Command, names: string[]): void => {
    for (const one of command.commands) {
      if (one.name() === 'complete') continue;
      const whole = [...names, one.name()];
      if (one.commands.length > 0) {
        parts.push('', `## ${whole.join(' ')}`, '', `${one.description()}.`);
        walk(one, whole);
        continue;
      }
      let text = '';
      one
        .configureOutput({ writeOut: (more) => (text += more) })
        .configureHelp({ helpWidth: 100, showGlobalOptions: false });
      one.outputHelp();
      parts.push(
        '',
        `${names.length === 1 ? '##' : '###'} ${whole.join(' ')}`,
        '',
        '```text',
        text.trim(),
        '```',
      );
    }
  };
  walk(createProgram(), ['peatmoor']);
  return `${parts.join('\n')}\n`;
}

it('the reference of the command line is what the program says', () => {
  const text = reference();
  if (process.env.MAKE_REFERENCE !== undefined) fs.writeFileSync(FILE, text);
  expect(fs.readFileSync(FILE, 'utf8')).toBe(text);
});

it('every command that the documentation names is there', () => {
  const program = createProgram();
  const folder = path.resolve(__dirname, '../../../docs');
  const files = [
    ...fs
      .readdirSync(folder)
      .filter((name) => name.endsWith('.md'))
      .map((name) => path.join(folder, name)),
    path.resolve(folder, '../README.md'),
  ];
  const wrong: string[] = [];
  for (const file of files)
    for (const [, line] of fs.readFileSync(file, 'utf8').matchAll(/(?:^|`)peatmoor ([^`\n]*)/gm)) {
      const words = line!.split(/\s+/);
      let command: Command = program;
      let depth = 0;
      for (const word of words) {
        const inner = command.commands.find((one) => one.name() === word || one.aliases().includes(word));
        if (inner === undefined) break;
        command = inner;
        depth++;
      }
      if (
        depth === 0 ||
        (command.commands.length > 0 &&
          command !== program &&
          words[depth] !== undefined &&
          !/^[-…,.<[]/.test(words[depth]!) &&
          command.name() !== 'account')
      )
        wrong.push(`${path.basename(file)}: peatmoor ${line}`);
      // Options that a line names are those of its command.
      const known = new Set([...command.options, ...program.options].map(({ long }) => long));
      for (const option of line!.match(/(?<=\s)--[a-z-]+/g) ?? [])
        if (!known.has(option) && option !== '--help')
          wrong.push(`${path.basename(file)}: ${option} in peatmoor ${line}`);
    }
  expect(wrong).toEqual([]);
});
