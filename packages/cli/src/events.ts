import type { Command } from 'commander';
import { showDuration, showReading, watched } from '@peatmoor/core';
import type { Client, Event } from '@peatmoor/contract';
import { print, readCount, readDuration, readNumber, showTime, table } from './output';
import { signedInClient } from './settings';

/** event list|show|acknowledge|close */
export function eventCommands(program: Command): void {
  const event = program.command('event').description('what happened: events, open and closed');
  event
    .command('list')
    .description('events, newest first')
    .option('--device <device>', 'of one device only')
    .option('--rule <rule>', 'of one rule only')
    .option('--label <label>', 'of devices with a label')
    .option('--severity <severity>', 'notice, warning or urgent')
    .option('--state <state>', 'open, unacknowledged or closed')
    .option('--text <text>', 'with this in title, device or remark')
    .option('--since <time>', 'opened within the last, such as 24h')
    .option('--last <count>', 'how many', '20')
    .addHelpText('after', '\nExample:\n  peatmoor event list --device sluice-mill --state open')
    .action(
      async (
        options: Record<
          'device' | 'rule' | 'label' | 'severity' | 'state' | 'text' | 'since',
          string | undefined
        > & {
          last: string;
        },
        command: Command,
      ) => {
        const client = signedInClient();
        const { last, since, rule, severity, state: inState, ...texts } = options;
        const events = await client.call('listEvents', {
          query: {
            limit: readCount(last, '--last'),
            ...(since !== undefined && { from: Date.now() - readDuration(since) }),
            ...(rule !== undefined && { rule: readNumber(rule, '--rule') }),
            ...(severity !== undefined && { severity: severity as 'warning' }),
            ...(inState !== undefined && { state: inState as 'open' }),
            ...texts,
          },
        });
        const value = await eventValues(client);
        print(command, events, (list) =>
          table(
            ['event', 'state', 'severity', 'device', 'title', 'opened', 'at', 'peak', 'closed'],
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
      },
    );
  event
    .command('show <event>')
    .description('one event and all that happened: alerts, each try, who acknowledged')
    .addHelpText('after', '\nExample:\n  peatmoor event show 12')
    .action(async (id: string, _options: unknown, command: Command) => {
      const client = signedInClient();
      const one = await client.call('readEvent', { params: { event: id } });
      const value = await eventValues(client);
      print(command, one, (it) =>
        [
          `${it.title} (${it.severity}, ${state(it)})`,
          it.sentence,
          `${showTime(it.openedAt)}  opened${it.value === null ? '' : ` at ${value(it, it.value)}`}`,
          ...(it.acknowledgedAt === null
            ? []
            : [
                `${showTime(it.acknowledgedAt)}  acknowledged by ${it.acknowledgedBy}${it.remark && `: ${it.remark}`}`,
              ]),
          ...it.comments.map(({ at, by, text }) => `${showTime(at)}  ${by}: ${text}`),
          ...(it.closedAt === null
            ? []
            : [
                `${showTime(it.closedAt)}  closed${it.closedBy && ` by ${it.closedBy}`}, after ${showDuration(it.closedAt - it.openedAt)}`,
              ]),
          '',
          table(
            ['alert', 'of', 'to', 'by', 'state', 'when', 'what was said'],
            it.alerts.map((alert) => [
              alert.id,
              alert.phase,
              alert.recipient,
              alert.channel,
              alert.state,
              showTime(alert.at ?? alert.queuedAt),
              alert.error || (it.tries.filter(({ alertId }) => alertId === alert.id).at(-1)?.outcome ?? ''),
            ]),
            'Nobody was alerted.',
          ),
          ...it.commands.map(
            (wanted) =>
              `${showTime(wanted.at)}  ${wanted.stream} of ${wanted.deviceId} wanted to be ${wanted.value}: ${wanted.state}`,
          ),
        ].join('\n'),
      );
    });
  event
    .command('comment <event> <text>')
    .description('say something of an event: it stands on its page with your name and the time')
    .addHelpText('after', '\nExample:\n  peatmoor event comment 12 "The flap was stuck"')
    .action(async (id: string, text: string, _options: unknown, command: Command) => {
      print(
        command,
        await signedInClient().call('commentEvent', { params: { event: id }, body: { text } }),
        () => `Said of event ${id}.`,
      );
    });
  for (const [verb, call, done] of [
    ['acknowledge', 'acknowledgeEvent', 'acknowledged'],
    ['close', 'closeEvent', 'closed'],
  ] as const)
    event
      .command(`${verb} <event>`)
      .description(`${verb} an event`)
      .option('--remark <text>', 'what is to be said of it')
      .addHelpText('after', `\nExample:\n  peatmoor event ${verb} 12`)
      .action(async (id: string, { remark = '' }: { remark?: string }, command: Command) => {
        print(
          command,
          await signedInClient().call(call, { params: { event: id }, body: { remark } }),
          (one) => `Event ${one.id} is ${done}.`,
        );
      });
}

async function eventValues(client: Client): Promise<(one: Event, value: number | null) => string | null> {
  const devices = await client.call('listDevices');
  const kinds = await client.call('listKinds');
  return (one, value) => {
    const { stream } = watched(one, devices, kinds);
    return stream === undefined || value === null ? null : showReading(stream, value);
  };
}

function state({ closedAt, acknowledgedAt }: Event): string {
  return `${closedAt === null ? 'open' : 'closed'}${acknowledgedAt === null ? '' : ', acknowledged'}`;
}
