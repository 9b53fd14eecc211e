import { Command } from 'commander';
import { ROLES, type Role } from '@peatmoor/core';
import { print, say, showTime, table } from './output';
import { signedInClient, UsageError } from './settings';

function roleOf(text: string): Role {
  if (!(ROLES as readonly string[]).includes(text))
    throw new UsageError(`"${text}" is no role; there are: ${ROLES.join(', ')}.`);
  return text as Role;
}

/** people: who belongs to the workspace. */
export function peopleCommands(program: Command): void {
  const people = program.command('people').description('who belongs to the workspace, and what they may do');
  people
    .command('list')
    .description('people, and those who have not joined yet')
    .addHelpText('after', '\nExample:\n  peatmoor people list')
    .action(async (_options: unknown, command: Command) => {
      print(command, await signedInClient().call('listPeople'), (list) =>
        table(
          ['person', 'name', 'email', 'role', 'link works until'],
          list.map(({ id, name, email, role, linkEndsAt }) => [
            id,
            name,
            email ?? '',
            role,
            linkEndsAt === null ? '' : showTime(linkEndsAt),
          ]),
          'Nobody.',
        ),
      );
    });
  people
    .command('add <name>')
    .description('add somebody: prints a link that works once')
    .option('--role <role>', `what they may do: ${ROLES.join(', ')}`, 'viewer')
    .addHelpText('after', '\nExample:\n  peatmoor people add Ranger --role operator')
    .action(async (name: string, options: { role: string }, command: Command) => {
      const added = await signedInClient().call('addPerson', { body: { name, role: roleOf(options.role) } });
      print(
        command,
        added,
        ({ person, link }) =>
          `${person.name} may join as ${person.role} until ${showTime(person.linkEndsAt)}. Hand over this link; it is shown only now:\n${link}`,
      );
    });
  people
    .command('change <person>')
    .description('change what somebody may do')
    .requiredOption('--role <role>', `what they may do: ${ROLES.join(', ')}`)
    .addHelpText('after', '\nExample:\n  peatmoor people change person-2 --role editor')
    .action(async (person: string, options: { role: string }, command: Command) => {
      const changed = await signedInClient().call('changePerson', {
        params: { person },
        body: { role: roleOf(options.role) },
      });
      print(command, changed, ({ name, role }) => `${name} is ${role} now.`);
    });
  people
    .command('remove <person>')
    .description('remove somebody, or take a link back')
    .addHelpText('after', '\nExample:\n  peatmoor people remove person-2')
    .action(async (person: string) => {
      await signedInClient().call('removePerson', { params: { person } });
      say('Removed.');
    });
}
