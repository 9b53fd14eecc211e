import { Command } from 'commander';
import type { LinkIn } from '@peatmoor/contract';
import { done, print, readDuration, showTime, table } from './output';
import { signedInClient, UsageError } from './settings';

interface Options {
  dashboard?: string;
  widget?: string;
  device?: string;
  back?: string;
  ends?: string;
  passphrase?: string;
  site?: string[];
  listed?: boolean;
}

/** share: read-only addresses of dashboards, widgets and devices. */
export function shareCommands(program: Command): void {
  const share = program.command('share').description('read-only addresses for people without an account');
  share
    .command('list')
    .description('share links, what each shows, and how often it was opened')
    .addHelpText('after', '\nExample:\n  peatmoor share list')
    .action(async (_options: unknown, command: Command) => {
      print(command, await signedInClient().call('listLinks'), (links) =>
        table(
          ['link', 'title', 'shows', 'opened', 'last', 'until', 'address'],
          links.map(({ id, title, shows, opened, openedAt, endsAt, address, waiting }) => [
            id,
            title,
            `${shows.split(';')[0]!}${waiting.length > 0 ? ` (${waiting.length} not shared)` : ''}`,
            opened,
            showTime(openedAt),
            endsAt === null ? 'no end' : showTime(endsAt),
            address,
          ]),
          'Nothing is shared.',
        ),
      );
    });
  share
    .command('new <title>')
    .description('say what a visitor will see, and make the link')
    .option('--dashboard <number>', 'the dashboard to share')
    .option('--widget <id>', 'only this widget of it')
    .option('--device <device>', 'a device by itself; with --dashboard the one that it shows')
    .option('--back <time>', 'how far back a visitor may look: 24h, 30d, all', '30d')
    .option('--ends <time>', 'after what time the link ends: 7d; without it when it is withdrawn')
    .option('--passphrase <words>', 'what a visitor types first')
    .option('--site <site...>', 'sites that may show it in a frame, such as https://moss.example')
    .option('--listed', 'search engines may list it')
    .option('--try', 'only say what a visitor will see')
    .addHelpText(
      'after',
      '\nExample:\n  peatmoor share new "For the village" --dashboard 2 --back 7d --ends 30d',
    )
    .action(async (title: string, options: Options & { try?: boolean }, command: Command) => {
      const client = signedInClient();
      const subject = subjectOf(options);
      const backMs = options.back === 'all' ? null : readDuration(options.back ?? '30d');
      const preview = await client.call('previewLink', { body: { ...subject, backMs } });
      if (options.try)
        return print(command, preview, ({ shows, streams, page }) =>
          [
            `A visitor sees ${shows}`,
            ...streams.map((one) => `  ${one.title} of ${one.deviceName}`),
            '',
            `The page, for a quarter of an hour: ${page}`,
          ].join('\n'),
        );
      const link = await client.call('createLink', {
        body: {
          ...subject,
          title,
          backMs,
          endsAt: options.ends === undefined ? null : Date.now() + readDuration(options.ends),
          passphrase: options.passphrase ?? null,
          sites: options.site ?? [],
          listed: options.listed ?? false,
        },
      });
      print(command, link, ({ shows, address }) => `A visitor sees ${shows}\n\n  ${address}`);
    });
  share
    .command('include <link>')
    .description('share what its dashboard shows by now as well')
    .addHelpText('after', '\nExample:\n  peatmoor share include 3')
    .action(async (link: string, _options: unknown, command: Command) => {
      const changed = await signedInClient().call('changeLink', {
        params: { link },
        body: { include: true },
      });
      print(command, changed, ({ shows }) => `A visitor sees ${shows}`);
    });
  share
    .command('withdraw <link>')
    .description('withdraw a link: its open pages end at once')
    .addHelpText('after', '\nExample:\n  peatmoor share withdraw 3')
    .action(async (link: string, _options: unknown, command: Command) => {
      await signedInClient().call('deleteLink', { params: { link } });
      done(command, { link, withdrawn: true }, 'The link shows nothing any more.');
    });
}

/** What a link is to show, of the options that say so. */
function subjectOf({
  dashboard,
  widget,
  device,
}: Options): Pick<LinkIn, 'sort' | 'dashboardId' | 'widgetId' | 'deviceId'> {
  if (dashboard === undefined && device === undefined)
    throw new UsageError(
      'Say what to share: --dashboard NUMBER or --device DEVICE. See: peatmoor share new --help',
    );
  if (dashboard !== undefined && !/^\d{1,9}$/.test(dashboard))
    throw new UsageError(`"${dashboard}" is not the number of a dashboard; it stands in its address.`);
  return {
    sort: widget !== undefined ? 'widget' : dashboard !== undefined ? 'dashboard' : 'device',
    dashboardId: dashboard === undefined ? null : Number(dashboard),
    widgetId: widget ?? null,
    deviceId: device ?? null,
  };
}
