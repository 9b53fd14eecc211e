import { Command } from 'commander';
import { counted, showDuration, showReading, tellsSomebody, watched } from '@peatmoor/core';
import type { Client, Mute, Rule, TrialResult } from '@peatmoor/contract';
import { done, print, readDuration, readNumber, showTime, table } from './output';
import { eventCommands } from './events';
import { asOptions, autoTitle, ruleOf, withRuleOptions, type RuleOptions } from './ruleOptions';
import { signedInClient, UsageError } from './settings';

/** What of a rule is sent back when it is changed. */
function bodyOf({ id: _id, sentence: _sentence, openEvents: _open, version: _version, ...body }: Rule) {
  return body;
}

/** rule new|list|show|change|delete|try|mute and event list|show|acknowledge|close */
export function ruleCommands(program: Command): void {
  const rule = program
    .command('rule')
    .description('event rules: when something is so, for how long, and who is alerted');
  withRuleOptions(
    rule.command('new [stream]').description('make an event rule on a device, a kind or a label'),
  )
    .addHelpText(
      'after',
      `
Examples:
  peatmoor rule new water_level --kind Dipwell --below -300 --for 10min --back -280 --email warden@quillmere.example
  peatmoor rule new rain --device rain-top --sum ">8" --within 1h --set sluice-mill/opening=60
  peatmoor rule new battery --label bog --silent 30min --remind 2h --role owner`,
    )
    .action(async (stream: string | undefined, options: RuleOptions, command: Command) => {
      const client = signedInClient();
      const made = await asOptions(
        client.call('createRule', { body: await ruleOf(client, stream, options) }),
      );
      print(command, made, (one) => `Rule ${one.id} is made. ${one.sentence}`);
      await warnOfRange(client, made);
    });
  withRuleOptions(
    rule
      .command('try [stream]')
      .description('run a rule over the past: one that is there (--rule), or one said here'),
  )
    .option('--rule <rule>', 'number of a rule that is there')
    .option('--last <time>', 'over how long', '7d')
    .addHelpText(
      'after',
      '\nExamples:\n  peatmoor rule try --rule 2 --last 30d\n  peatmoor rule try water_level --device dipwell-north --below -300 --for 10min',
    )
    .action(
      async (
        stream: string | undefined,
        options: RuleOptions & { rule?: string; last: string },
        command: Command,
      ) => {
        const client = signedInClient();
        const body =
          options.rule === undefined
            ? await ruleOf(client, stream, options)
            : bodyOf(await client.call('readRule', { params: { rule: options.rule } }));
        const to = Date.now();
        const from = to - readDuration(options.last);
        const result = await asOptions(client.call('tryRule', { body: { rule: body, from, to } }));
        const show = await valuesOf(client, body);
        print(command, result, (one) => trialText(one, options.last, show));
      },
    );
  rule
    .command('list')
    .description('all event rules')
    .addHelpText('after', '\nExample:\n  peatmoor rule list')
    .action(async (_options: unknown, command: Command) => {
      const rules = await signedInClient().call('listRules');
      print(command, rules, (list) =>
        table(
          ['rule', 'severity', 'open', 'sentence'],
          list.map((one) => [
            one.id,
            one.active ? one.severity : 'switched off',
            one.openEvents,
            one.sentence,
          ]),
          'No event rules yet.',
        ),
      );
    });
  rule
    .command('show <rule>')
    .description('one event rule')
    .addHelpText('after', '\nExample:\n  peatmoor rule show 1')
    .action(async (id: string, _options: unknown, command: Command) => {
      const client = signedInClient();
      const one = await client.call('readRule', { params: { rule: id } });
      const alerted = await alertedBy(client, one);
      const tells = tellsSomebody(one, { people: await client.call('listPeople'), webhooks: one.webhooks });
      print(command, one, ({ title, severity, sentence, active, openEvents, repeatMs, actions }) =>
        [
          `${title} (${severity}${active ? '' : ', switched off'})`,
          sentence,
          `Alerts: ${alerted || 'nobody'}${alerted !== '' && !tells ? ', and nobody of them is left to be told' : ''}. Open events: ${openEvents}.`,
          ...(repeatMs === null
            ? []
            : [`Reminds every ${showDuration(repeatMs)} until it is acknowledged or closed.`]),
          ...actions.map(({ on, deviceId, stream, value, rank }) =>
            on === 'while'
              ? `As long as it is open: ${stream} of ${deviceId ?? 'the device'} is held at ${value}, in place ${rank}.`
              : `When it ${on === 'opened' ? 'opens' : 'closes'}: ${stream} of ${deviceId ?? 'the device'} is wanted to be ${value}.`,
          ),
        ].join('\n'),
      );
    });
  rule
    .command('change <rule>')
    .description('switch an event rule on or off, or change its limit')
    .option('--limit <limit>', 'new limit')
    .option(
      '--own <device=limit...>',
      'a limit of its own for single devices; device=off leaves it out, device= takes that back',
    )
    .option('--on', 'switch it on')
    .option('--off', 'switch it off')
    .addHelpText(
      'after',
      '\nExamples:\n  peatmoor rule change 1 --off\n  peatmoor rule change 2 --own dipwell-north=-320',
    )
    .action(
      async (
        id: string,
        options: { limit?: string; own?: string[]; on?: boolean; off?: boolean },
        command: Command,
      ) => {
        const client = signedInClient();
        const before = await client.call('readRule', { params: { rule: id } });
        const own = new Map(before.own.map((one) => [one.deviceId, one]));
        for (const text of options.own ?? []) {
          const [device = '', value = ''] = text.split('=');
          if (value === '') own.delete(device);
          else
            own.set(device, {
              deviceId: device,
              leftOut: value === 'off',
              limit: value === 'off' ? null : readNumber(value, '--own'),
            });
        }
        if (options.on && options.off) throw new UsageError('Give --on or --off, not both.');
        // A name that was made of the old limit goes with it.
        const limit = options.limit === undefined ? before.limit : readNumber(options.limit, '--limit');
        const made = autoTitle(before.stream, before);
        const body = {
          ...bodyOf(before),
          title: before.title === made ? autoTitle(before.stream, { ...before, limit }) : before.title,
          ...(options.limit !== undefined && { limit: readNumber(options.limit, '--limit') }),
          own: [...own.values()],
          active: options.on ? true : options.off ? false : before.active,
        };
        print(
          command,
          await asOptions(
            client.call('changeRule', { params: { rule: id }, body, ifVersion: before.version }),
          ),
          (one) => `${one.active ? '' : 'Switched off: '}${one.sentence}`,
        );
        await warnOfRange(client, body);
      },
    );
  rule
    .command('delete <rule>')
    .description('delete an event rule; its events stay')
    .addHelpText('after', '\nExample:\n  peatmoor rule delete 1')
    .action(async (id: string, _options: unknown, command: Command) => {
      await signedInClient().call('deleteRule', { params: { rule: id } });
      done(command, { rule: id, deleted: true }, `Rule ${id} is deleted.`);
    });
  rule
    .command('mute')
    .description(
      'send no alerts from a device, kind, label or rule for some time; without a target, list what is muted',
    )
    .option('--device <device>', 'of a device')
    .option('--kind <number>', 'of a kind')
    .option('--label <label>', 'of every device with a label')
    .option('--rule <rule>', 'of a rule')
    .option('--for <time>', 'for so long', '1h')
    .option('--because <reason>', 'why')
    .option('--end', 'end the mute')
    .addHelpText(
      'after',
      '\nExample:\n  peatmoor rule mute --device sluice-mill --for 2h --because "new gate"',
    )
    .action(
      async (
        options: {
          device?: string;
          kind?: string;
          label?: string;
          rule?: string;
          for: string;
          because?: string;
          end?: boolean;
        },
        command: Command,
      ) => {
        const client = signedInClient();
        const sorts = (['device', 'kind', 'label', 'rule'] as const).filter(
          (one) => options[one] !== undefined,
        );
        const mutes = await client.call('listMutes');
        if (sorts.length === 0) return print(command, mutes, muteTable);
        if (sorts.length > 1) throw new UsageError('Give one of --device, --kind, --label and --rule.');
        const sort = sorts[0]!;
        const target = options[sort]!;
        if (options.end) {
          const found = mutes.find((one) => one.sort === sort && one.target === target);
          if (found === undefined) throw new UsageError(`The ${sort} ${target} is not muted.`);
          await client.call('unmute', { params: { mute: found.id } });
          return done(command, { sort, target, muted: false }, `The ${sort} ${target} alerts again.`);
        }
        const until = Date.now() + readDuration(options.for);
        const made = await client.call('mute', {
          body: { sort, target, until, reason: options.because ?? '' },
        });
        print(
          command,
          made,
          (one) => `No alerts from the ${one.sort} ${one.target} until ${showTime(one.until)}.`,
        );
      },
    );
  eventCommands(program);
}

/** Says where a limit is one that the datastream cannot pass. */
async function warnOfRange(
  client: Client,
  rule: { deviceId?: string | null; kindId?: number | null; stream?: string | null; limit?: number | null },
): Promise<void> {
  if (rule.limit === null || rule.limit === undefined || !rule.stream) return;
  const { stream } = watched(
    { deviceId: rule.deviceId ?? null, kindId: rule.kindId ?? null, stream: rule.stream },
    await client.call('listDevices'),
    await client.call('listKinds'),
  );
  if (stream === undefined) return;
  if ((stream.min !== null && rule.limit < stream.min) || (stream.max !== null && rule.limit > stream.max))
    process.stderr.write(
      `Note: the limit ${rule.limit} is outside the range of ${stream.title}, ${stream.min ?? '…'} to ${stream.max ?? '…'}.\n`,
    );
}

function muteTable(mutes: Mute[]): string {
  return table(
    ['muted', 'which', 'until', 'by', 'why'],
    mutes.map((one) => [one.sort, one.target, showTime(one.until), one.madeBy, one.reason]),
    'Nothing is muted.',
  );
}

/** Who is alerted by a rule, in words. */
async function alertedBy(client: Client, { people, roles, emails, webhooks }: Rule): Promise<string> {
  const members = people.length === 0 ? [] : await client.call('listPeople');
  const hooks = webhooks.length === 0 ? [] : await client.call('listWebhooks');
  return [
    ...people.map((id) => members.find((one) => one.id === `person-${id}`)?.name ?? 'somebody who left'),
    ...roles.map((role) => `every ${role}`),
    ...emails,
    ...webhooks.map((id) => `webhook ${hooks.find((one) => one.id === id)?.title ?? id}`),
  ].join(', ');
}

/** How values of what a rule watches are written. */
async function valuesOf(
  client: Client,
  about: { deviceId?: string | null; kindId?: number | null; stream?: string },
): Promise<(value: number | null) => string> {
  const kinds = await client.call('listKinds');
  const key = about.stream ?? '';
  // A label names no kind: any that has the datastream says how it is written.
  const stream =
    watched(
      { deviceId: about.deviceId ?? null, kindId: about.kindId ?? null, stream: key },
      await client.call('listDevices'),
      kinds,
    ).stream ?? kinds.flatMap(({ streams }) => streams).find((one) => one.key === key);
  return (value) => (value === null ? '' : stream === undefined ? String(value) : showReading(stream, value));
}

function trialText(
  { count, openMs, readings, devices, events, suggested, lowest, highest }: TrialResult,
  last: string,
  show: (value: number | null) => string,
): string {
  const where = devices === 1 ? '' : ` on ${counted(devices, 'device')}`;
  const lines = [
    count === 0
      ? `It would not have opened in the last ${last}${where} (${counted(readings, 'reading')}).`
      : `It would have opened ${count === 1 ? 'once' : counted(count, 'time')} in the last ${last}${where}, ${showDuration(openMs)} in all (${counted(readings, 'reading')}).`,
    ...(lowest === null ? [] : [`Seen: ${show(lowest)} to ${show(highest)}.`]),
    ...(suggested === null ? [] : [`A limit that was crossed seldom: ${show(suggested)}.`]),
  ];
  if (events.length === 0) return lines.join('\n');
  return [
    ...lines,
    '',
    table(
      ['device', 'opened', 'for', 'at', 'peak'],
      events
        .slice(0, 20)
        .map((one) => [
          one.deviceId,
          showTime(one.openedAt),
          one.closedAt === null ? 'still open' : showDuration(one.closedAt - one.openedAt),
          show(one.value),
          show(one.extreme),
        ]),
      '',
    ),
    ...(count > 20 ? [`… and ${count - 20} before.`] : []),
  ].join('\n');
}
