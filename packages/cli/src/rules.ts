import { Command } from 'commander';
import { showReading, watched } from '@peatmoor/core';
import type { Event } from '@peatmoor/contract';
import { kindByName } from './kindByName';
import { print, readCount, readDuration, readNumber, say, showTime, table } from './output';
import { signedInClient, UsageError } from './settings';

interface NewRuleOptions {
  device?: string;
  kind?: string;
  above?: string;
  raised?: boolean;
  notConfirmed?: boolean;
  below?: string;
  for: string;
  back?: string;
  backFor: string;
  email?: string[];
  severity: string;
  title?: string;
}

/** rule new|list|show|delete and event list|acknowledge|close */
export function ruleCommands(program: Command): void {
  const rule = program
    .command('rule')
    .description('event rules: when a value crosses a limit, for how long, and who is alerted');
  rule
    .command('new <stream>')
    .description('make an event rule on a device or a whole kind')
    .option('--device <device>', 'watch one device')
    .option('--kind <kind>', 'watch every device of a kind')
    .option('--above <limit>', 'opens when the value is above')
    .option('--raised', 'the device opens and closes it itself, by the key given instead of a datastream')
    .option('--not-confirmed', 'opens when what must follow this control is not measured in its time')
    .option('--below <limit>', 'opens when the value is below')
    .option('--for <time>', 'only after it stayed so for', '0s')
    .option('--back <limit>', 'closes when the value is back at')
    .option('--back-for <time>', 'and stayed so for', '0s')
    .option('--email <email...>', 'who is alerted')
    .option('--severity <severity>', 'notice, warning or urgent', 'warning')
    .option('--title <title>', 'a name for it')
    .addHelpText(
      'after',
      '\nExample:\n  peatmoor rule new water_level --kind Dipwell --below -300 --for 10min --back -280 --email warden@quillmere.example',
    )
    .action(async (stream: string, options: NewRuleOptions, command: Command) => {
      const { above, below, raised, notConfirmed } = options;
      if ([above, below, raised, notConfirmed].filter((one) => one !== undefined).length !== 1)
        throw new UsageError('Give one of --above, --below, --raised and --not-confirmed.');
      if ((options.device === undefined) === (options.kind === undefined))
        throw new UsageError('Give one of --device and --kind.');
      const client = signedInClient();
      const limit = readNumber(options.above ?? options.below ?? '0', 'The limit');
      const comparison = raised
        ? 'raised'
        : notConfirmed
          ? 'not-confirmed'
          : above === undefined
            ? 'below'
            : 'above';
      const made = await client.call('createRule', {
        body: {
          title:
            options.title ??
            (raised ? stream : notConfirmed ? `${stream} not confirmed` : `${stream} ${comparison} ${limit}`),
          severity: options.severity as 'warning',
          deviceId: options.device ?? null,
          kindId: options.kind === undefined ? null : (await kindByName(client, options.kind)).id,
          stream,
          comparison,
          limit,
          holdMs: readDuration(options.for),
          closeLimit: options.back === undefined ? null : readNumber(options.back, '--back'),
          closeHoldMs: readDuration(options.backFor),
          emails: options.email ?? [],
        },
      });
      print(command, made, (one) => `Rule ${one.id} is made. ${one.sentence}`);
    });
  rule
    .command('list')
    .description('all event rules')
    .addHelpText('after', '\nExample:\n  peatmoor rule list')
    .action(async (_options: unknown, command: Command) => {
      const rules = await signedInClient().call('listRules');
      print(command, rules, (list) =>
        table(
          ['rule', 'severity', 'open', 'sentence'],
          list.map((one) => [one.id, one.severity, one.openEvents, one.sentence]),
          'No event rules yet.',
        ),
      );
    });
  rule
    .command('show <rule>')
    .description('one event rule')
    .addHelpText('after', '\nExample:\n  peatmoor rule show 1')
    .action(async (id: string, _options: unknown, command: Command) => {
      const one = await signedInClient().call('readRule', { params: { rule: id } });
      print(command, one, ({ title, severity, sentence, emails, active, openEvents }) =>
        [
          `${title} (${severity}${active ? '' : ', switched off'})`,
          sentence,
          `Alerts: ${emails.join(', ') || 'nobody'}. Open events: ${openEvents}.`,
        ].join('\n'),
      );
    });
  rule
    .command('change <rule>')
    .description('switch an event rule on or off, or change its limit')
    .option('--limit <limit>', 'new limit')
    .option('--on', 'switch it on')
    .option('--off', 'switch it off')
    .addHelpText('after', '\nExample:\n  peatmoor rule change 1 --off')
    .action(
      async (id: string, options: { limit?: string; on?: boolean; off?: boolean }, command: Command) => {
        const client = signedInClient();
        const {
          id: _id,
          sentence: _sentence,
          openEvents: _open,
          version,
          ...before
        } = await client.call('readRule', { params: { rule: id } });
        const body = {
          ...before,
          limit: options.limit === undefined ? before.limit : readNumber(options.limit, '--limit'),
          active: options.on ? true : options.off ? false : before.active,
        };
        print(
          command,
          await client.call('changeRule', { params: { rule: id }, body, ifVersion: version }),
          (one) => `${one.active ? '' : 'Switched off: '}${one.sentence}`,
        );
      },
    );
  rule
    .command('delete <rule>')
    .description('delete an event rule; its events stay')
    .addHelpText('after', '\nExample:\n  peatmoor rule delete 1')
    .action(async (id: string) => {
      await signedInClient().call('deleteRule', { params: { rule: id } });
      say(`Rule ${id} is deleted.`);
    });

  const event = program.command('event').description('what happened: events, open and closed');
  event
    .command('list')
    .description('events, newest first')
    .option('--device <device>', 'of one device only')
    .option('--last <count>', 'how many', '20')
    .addHelpText('after', '\nExample:\n  peatmoor event list --device sluice-mill')
    .action(async (options: { device?: string; last: string }, command: Command) => {
      const client = signedInClient();
      const events = await client.call('listEvents', {
        query: {
          limit: readCount(options.last, '--last'),
          ...(options.device !== undefined && { device: options.device }),
        },
      });
      const devices = await client.call('listDevices');
      const kinds = await client.call('listKinds');
      const value = (one: Event, what: number): string | null => {
        const { stream } = watched(one, devices, kinds);
        return stream === undefined ? null : showReading(stream, what);
      };
      print(command, events, (list) =>
        table(
          ['event', 'state', 'severity', 'device', 'title', 'opened', 'at', 'furthest', 'closed'],
          list.map((one) => [
            one.id,
            state(one),
            one.severity,
            one.deviceId,
            one.title,
            showTime(one.openedAt),
            value(one, one.value),
            value(one, one.extreme),
            one.closedAt === null ? null : showTime(one.closedAt),
          ]),
          'No events.',
        ),
      );
    });
  for (const [verb, call, done] of [
    ['acknowledge', 'acknowledgeEvent', 'acknowledged'],
    ['close', 'closeEvent', 'closed'],
  ] as const)
    event
      .command(`${verb} <event>`)
      .description(`${verb} an event`)
      .addHelpText('after', `\nExample:\n  peatmoor event ${verb} 12`)
      .action(async (id: string, _options: unknown, command: Command) => {
        print(
          command,
          await signedInClient().call(call, { params: { event: id } }),
          (one) => `Event ${one.id} is ${done}.`,
        );
      });
}

function state({ closedAt, acknowledgedAt }: Event): string {
  return `${closedAt === null ? 'open' : 'closed'}${acknowledgedAt === null ? '' : ', acknowledged'}`;
}
