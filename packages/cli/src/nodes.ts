import type { Command } from 'commander';
import { nodeState } from '@peatmoor/core';
import { print, showTime, table } from './output';
import { signedInClient } from './settings';

/** node list: the services on one database. */
export function nodeCommands(program: Command): void {
  const node = program.command('node').description('the services that work on one database');
  node
    .command('list')
    .description('all of them, each with its sign of life, version and load')
    .addHelpText('after', '\nExample:\n  peatmoor node list')
    .action(async (_options: unknown, command: Command) => {
      print(command, await signedInClient().call('listNodes'), (nodes) =>
        table(
          ['node', 'name', 'version', 'state', 'since', 'boards', 'pages', 'memory', 'does', 'address'],
          nodes.map((one) => [
            one.id,
            one.name,
            one.version,
            nodeState(one),
            showTime(one.startedAt),
            one.sessions,
            one.pages,
            `${Math.round(one.memory / 1e6)} MB`,
            one.does.join(', ') || '–',
            one.address,
          ]),
          'Nothing is told of nodes here: owners of the first workspace look after them.',
        ),
      );
    });
}
