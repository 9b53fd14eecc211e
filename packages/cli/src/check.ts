import type { Command } from 'commander';
import { print, table } from './output';
import { signedInClient } from './settings';

const MARKS = { good: 'good', look: 'look', bad: 'BAD' } as const;

/** check: whether all that the service stands on is as it should be. */
export function checkCommand(program: Command): void {
  program
    .command('check')
    .description('look at what the service stands on: clock, disk, database, ports, addresses')
    .addHelpText('after', '\nExample:\n  peatmoor check')
    .action(async (_options: unknown, command: Command) => {
      const check = await signedInClient().call('check');
      print(command, check, ({ findings }) =>
        [
          table(
            ['what', '', 'found'],
            findings.map(({ what, state, found }) => [what, MARKS[state], found]),
            '',
          ),
          ...findings.filter(({ remedy }) => remedy !== '').map(({ what, remedy }) => `${what}: ${remedy}`),
        ].join('\n'),
      );
      if (check.findings.some(({ state }) => state === 'bad')) process.exitCode = 1;
    });
}
