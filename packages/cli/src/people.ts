import { Command } from 'commander';
import { ROLES, type Role } from '@peatmoor/core';
import { GRANT_ROLES, GRANT_SORTS, type Client } from '@peatmoor/contract';
import { showField } from '@peatmoor/core';
import { done, print, readCount, readMoment, showTime, table } from './output';
import { personByName } from './personByName';
import { signedInClient, UsageError } from './settings';

function roleOf(text: string): Role {
  if (!(ROLES as readonly string[]).includes(text))
    throw new UsageError(`"${text}" is not a role; there are: ${ROLES.join(', ')}.`);
  return text as Role;
}

const TAKES_OVER = [
  '--takes-over <person>',
  'who is told from now on where an event rule would tell nobody; or "nobody"',
] as const;

/** Who takes over, as a call says it. */
async function takerOf(client: Client, name: string | undefined): Promise<{ takesOver?: string }> {
  if (name === undefined) return {};
  return { takesOver: name === 'nobody' ? name : (await personByName(client, name)).id };
}

/** people: who belongs to the workspace; changes: who changed what. */
export function peopleCommands(program: Command): void {
  program
    .command('changes')
    .description('who changed what, from what to what')
    .option('--what <what>', 'only of devices, kinds, rules …: device, kind, rule, dashboard, person, link')
    .option('--text <text>', 'only where this stands in the name')
    .option('--from <time>', 'from this time on')
    .option('--to <time>', 'up to this time')
    .option('--last <count>', 'how many, the newest first', '50')
    .addHelpText('after', '\nExample:\n  peatmoor changes --what rule --last 20')
    .action(
      async (
        options: { what?: string; text?: string; from?: string; to?: string; last: string },
        command: Command,
      ) => {
        const from = readMoment(options.from);
        const to = readMoment(options.to);
        const list = await signedInClient().call('listChanges', {
          query: {
            limit: Math.min(500, readCount(options.last, '--last')),
            ...(options.what !== undefined && { what: options.what }),
            ...(options.text !== undefined && { text: options.text }),
            ...(from !== null && { from }),
            ...(to !== null && { to }),
          },
        });
        print(command, list, (all) =>
          table(
            ['when', 'who', 'did', 'what', 'which', 'from what to what'],
            all.map(({ at, who, act, what, title, target, details }) => [
              showTime(at),
              who,
              act,
              what,
              title || target,
              details
                .slice(0, 3)
                .map(({ field, from: before, to: after }) =>
                  before === null
                    ? `${field} ${showField(after, field)}`
                    : `${field} ${showField(before, field)} → ${showField(after, field)}`,
                )
                .join('; ') + (details.length > 3 ? ' …' : ''),
            ]),
            'Nothing was changed yet.',
          ),
        );
      },
    );
  const people = program.command('people').description('who belongs to the workspace, and what they may do');
  people
    .command('list')
    .description('people, and those who have not joined yet')
    .addHelpText('after', '\nExample:\n  peatmoor people list')
    .action(async (_options: unknown, command: Command) => {
      print(command, await signedInClient().call('listPeople'), (list) =>
        table(
          ['person', 'name', 'signs in with', 'role', 'last here', 'link works until'],
          list.map(({ id, name, email, signInName, role, seenAt, linkEndsAt, usesLeft }) => [
            id,
            name || `(a link for ${usesLeft})`,
            email ?? signInName ?? '',
            role,
            linkEndsAt === null ? showTime(seenAt) : '',
            linkEndsAt === null ? '' : showTime(linkEndsAt),
          ]),
          'Nobody.',
        ),
      );
    });
  people
    .command('add [name]')
    .description('add somebody, or a whole class with one link: prints the link')
    .option('--role <role>', `what they may do: ${ROLES.join(', ')}`, 'viewer')
    .option('--email <email>', 'send the link there')
    .option('--days <days>', 'days that the link works', '7')
    .option('--uses <uses>', 'how many people may join with it', '1')
    .addHelpText(
      'after',
      '\nExamples:\n  peatmoor people add Ranger --role operator\n  peatmoor people add --uses 30 --days 1',
    )
    .action(
      async (
        name: string | undefined,
        options: { role: string; email?: string; days: string; uses: string },
        command: Command,
      ) => {
        const added = await signedInClient().call('addPerson', {
          body: {
            name: name ?? null,
            role: roleOf(options.role),
            email: options.email ?? null,
            days: readCount(options.days, '--days'),
            uses: readCount(options.uses, '--uses'),
          },
        });
        print(
          command,
          added,
          ({ person, link }) =>
            `${person.name || `${person.usesLeft} people`} may join as ${person.role} until ${showTime(person.linkEndsAt)}. ${options.email === undefined ? 'Hand over this link; it is shown only now' : `Sent to ${options.email}; the same link`}:\n${link}`,
        );
      },
    );
  people
    .command('reset <person>')
    .description('a link with which somebody of this workspace alone sets a new password')
    .addHelpText('after', '\nExample:\n  peatmoor people reset Ranger')
    .action(async (person: string, _options: unknown, command: Command) => {
      const client = signedInClient();
      const { id } = await personByName(client, person);
      const made = await client.call('resetPerson', { params: { person: id } });
      print(command, made, ({ link, endsAt }) => `Works once, until ${showTime(endsAt)}:\n${link}`);
    });
  people
    .command('grants')
    .description('what is granted to people beyond their role')
    .addHelpText('after', '\nExample:\n  peatmoor people grants')
    .action(async (_options: unknown, command: Command) => {
      print(command, await signedInClient().call('listGrants'), (list) =>
        table(
          ['grant', 'person', 'name', 'may', 'on', 'which'],
          list.map(({ id, userId, name, role, sort, title }) => [
            id,
            `person-${userId}`,
            name,
            role === 'operator' ? 'look and steer' : 'look',
            sort,
            title,
          ]),
          'Nothing is granted.',
        ),
      );
    });
  people
    .command('grant <person>')
    .description('let somebody look at, or steer, one device, label or dashboard')
    .option('--role <role>', `what they may do: ${GRANT_ROLES.join(', ')}`, 'viewer')
    .option('--device <device>', 'one device')
    .option('--label <label>', 'every device with a label')
    .option('--dashboard <number>', 'exactly what a dashboard shows')
    .addHelpText('after', '\nExample:\n  peatmoor people grant Ranger --role operator --device sluice-west')
    .action(
      async (
        person: string,
        options: { role: string; device?: string; label?: string; dashboard?: string },
        command: Command,
      ) => {
        const said = GRANT_SORTS.flatMap((sort) => {
          const target = options[sort];
          return target === undefined ? [] : [{ sort, target }];
        });
        if (said.length !== 1)
          throw new UsageError('Say what is granted: one of --device, --label, --dashboard.');
        if (!(GRANT_ROLES as readonly string[]).includes(options.role))
          throw new UsageError(
            `"${options.role}" is not a role of a grant; there are: ${GRANT_ROLES.join(', ')}.`,
          );
        const client = signedInClient();
        const { userId, name } = await personByName(client, person);
        if (userId === null) throw new UsageError(`${name} has not joined yet. Grant it once they have.`);
        const made = await client.call('createGrant', {
          body: { userId, role: options.role as 'viewer', ...said[0]! },
        });
        print(
          command,
          made,
          ({ name, role, title }) =>
            `${name} may ${role === 'operator' ? 'look at and steer' : 'look at'} ${title}, and nothing else by this.`,
        );
      },
    );
  people
    .command('ungrant <grant>')
    .description('take a grant back')
    .addHelpText('after', '\nExample:\n  peatmoor people ungrant 4')
    .action(async (grant: string, _options: unknown, command: Command) => {
      await signedInClient().call('deleteGrant', { params: { grant } });
      done(command, { grant, takenBack: true }, 'Taken back.');
    });
  people
    .command('change <person>')
    .description('change what somebody may do')
    .requiredOption('--role <role>', `what they may do: ${ROLES.join(', ')}`)
    .option(...TAKES_OVER)
    .addHelpText('after', '\nExample:\n  peatmoor people change Ranger --role editor')
    .action(async (person: string, options: { role: string; takesOver?: string }, command: Command) => {
      const client = signedInClient();
      const { id } = await personByName(client, person);
      const changed = await client.call('changePerson', {
        params: { person: id },
        body: { role: roleOf(options.role), ...(await takerOf(client, options.takesOver)) },
      });
      print(command, changed, ({ name, role }) => `${name} is ${role} now.`);
    });
  people
    .command('remove <person>')
    .description('remove somebody, or take a link back')
    .option(...TAKES_OVER)
    .addHelpText('after', '\nExample:\n  peatmoor people remove Ranger')
    .action(async (person: string, options: { takesOver?: string }, command: Command) => {
      const client = signedInClient();
      const { id } = await personByName(client, person);
      const takesOver = await takerOf(client, options.takesOver);
      await client.call('removePerson', { params: { person: id }, query: { ...takesOver } });
      done(command, { person: id, removed: true }, 'Removed.');
    });
}
