import type { Command } from 'commander';
import type { InterlocksOf } from '@peatmoor/contract';
import { print, readCount, showTime, table } from './output';
import { signedInClient } from './settings';

/** Adds what holds controls while events are open, and how to do without it. */
export function interlockCommands(program: Command): void {
  program
    .command('interlocks <device>')
    .description('rules that hold controls of a device while their events are open, in their order')
    .addHelpText('after', '\nExample:\n  peatmoor interlocks sluice-mill')
    .action(async (device: string, _options: unknown, command: Command) => {
      const all = await signedInClient().call('listInterlocks', { params: { device } });
      print(command, all, (list) =>
        list.length === 0
          ? `No rule holds a control of ${device}, and none has a time that it may run.`
          : inWords(list),
      );
    });
  program
    .command('override <device> <control>')
    .description('do without what holds a control, for some minutes; those whom the rule alerts are told')
    .option('--minutes <count>', 'for how long, 60 at the most', '10')
    .option('--end', 'end it before its time')
    .addHelpText(
      'after',
      '\nExamples:\n  peatmoor override sluice-mill gate --minutes 5\n  peatmoor override sluice-mill gate --end',
    )
    .action(
      async (
        device: string,
        stream: string,
        options: { minutes: string; end?: boolean },
        command: Command,
      ) => {
        const client = signedInClient();
        const one = options.end
          ? await client.call('endOverride', { params: { device, stream } })
          : await client.call('overrideInterlocks', {
              params: { device },
              body: { stream, minutes: readCount(options.minutes, '--minutes') },
            });
        print(command, one, (it) => inWords([it]));
      },
    );
}

const inWords = (list: readonly InterlocksOf[]): string =>
  list
    .map(({ title, interlocks, override, runUntil, restUntil }) =>
      [
        title,
        ...(runUntil === null ? [] : [`  runs until ${showTime(runUntil)} at most`]),
        ...(restUntil === null ? [] : [`  rests until ${showTime(restUntil)}`]),
        ...(override === null ? [] : [`  overridden by ${override.by} until ${showTime(override.until)}`]),
        interlocks.length === 0
          ? '  No rule holds it.'
          : table(
              ['place', 'rule', 'holds at', 'now'],
              interlocks.map(({ rank, title: rule, text, active, since, holds }) => [
                rank,
                rule,
                text,
                !active
                  ? 'switched off'
                  : since === null
                    ? 'not open'
                    : `${holds && override === null ? 'holds' : 'open'} since ${showTime(since)}`,
              ]),
              '',
            ),
      ].join('\n'),
    )
    .join('\n\n');
