import type { Command } from 'commander';
import { counted } from '@peatmoor/core';
import type { Client, Dashboard } from '@peatmoor/contract';
import { kindByName } from './kindByName';
import { done, print, table } from './output';
import { signedInClient, UsageError } from './settings';

/** dashboard list|show|new|delete */
export function dashboardCommands(program: Command): void {
  const dashboard = program
    .command('dashboard')
    .description('dashboards: list, show, make one of a device or a kind');
  dashboard
    .command('list')
    .description('all dashboards')
    .addHelpText('after', '\nExample:\n  peatmoor dashboard list')
    .action(async (_options: unknown, command: Command) => {
      const client = signedInClient();
      const [list, kinds] = [await client.call('listDashboards'), await client.call('listKinds')];
      print(command, list, (all) =>
        table(
          ['dashboard', 'title', 'for', 'widgets'],
          all.map((one) => [
            one.id,
            one.title,
            kinds.find(({ id }) => id === one.kindId)?.title ?? '',
            one.widgets.length,
          ]),
          'No dashboards yet. Make one: peatmoor dashboard new --device <device>',
        ),
      );
    });
  dashboard
    .command('show <dashboard>')
    .description('one dashboard with its widgets, by number or title')
    .addHelpText('after', '\nExample:\n  peatmoor dashboard show "The whole moss"')
    .action(async (name: string, _options: unknown, command: Command) => {
      const one = await dashboardByName(signedInClient(), name);
      print(command, one, ({ title, widgets }) =>
        [
          `${title}: ${counted(widgets.length, 'widget')}`,
          '',
          table(
            ['widget', 'title', 'shows', 'place', 'size'],
            widgets.map(({ type, title: named, sources, x, y, w, h }) => [
              type,
              named ?? '',
              sources.map(({ device, stream }) => [device, stream].filter(Boolean).join('/')).join(', '),
              `${x},${y}`,
              `${w}×${h}`,
            ]),
            'It is empty.',
          ),
        ].join('\n'),
      );
    });
  dashboard
    .command('new [title]')
    .description('an empty dashboard, or a complete one of a device or a kind')
    .option('--device <device>', 'with everything a device has')
    .option('--kind <kind>', 'for whichever device of a kind is chosen')
    .addHelpText(
      'after',
      '\nExamples:\n  peatmoor dashboard new --device dipwell-north\n  peatmoor dashboard new "Pumps"',
    )
    .action(
      async (title: string | undefined, options: { device?: string; kind?: string }, command: Command) => {
        if (options.device !== undefined && options.kind !== undefined)
          throw new UsageError('Give --device or --kind, not both.');
        if (title === undefined && options.device === undefined && options.kind === undefined)
          throw new UsageError('Give it a title, or say of what: --device or --kind.');
        const client = signedInClient();
        let made =
          options.device !== undefined
            ? await client.call('createStarterDashboard', { params: { device: options.device } })
            : options.kind !== undefined
              ? await client.call('createKindDashboard', {
                  params: { kind: (await kindByName(client, options.kind)).id },
                })
              : await client.call('createDashboard', { body: { title: title! } });
        if (title !== undefined && made.title !== title)
          made = await client.call('changeDashboard', {
            params: { dashboard: made.id },
            body: { version: made.version, title, widgets: made.widgets },
          });
        print(
          command,
          made,
          (one) =>
            `Dashboard ${one.id} (${one.title}) is made, with ${counted(one.widgets.length, 'widget')}.`,
        );
      },
    );
  dashboard
    .command('delete <dashboard>')
    .description('delete a dashboard; readings stay')
    .requiredOption('--yes', 'yes, delete it')
    .addHelpText('after', '\nExample:\n  peatmoor dashboard delete 3 --yes')
    .action(async (name: string, _options: unknown, command: Command) => {
      const client = signedInClient();
      const { id, title } = await dashboardByName(client, name);
      await client.call('deleteDashboard', { params: { dashboard: id } });
      done(command, { dashboard: id, deleted: true }, `${title} is deleted.`);
    });
}

async function dashboardByName(client: Client, name: string): Promise<Dashboard> {
  const list = await client.call('listDashboards');
  const found = list.find(
    ({ id, title }) => String(id) === name || title.toLowerCase() === name.toLowerCase(),
  );
  if (found === undefined)
    throw new UsageError(
      `There is no dashboard "${name}". There are: ${list.map(({ title }) => title).join(', ') || 'none yet'}.`,
    );
  return found;
}
