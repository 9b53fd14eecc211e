import { Command, Option } from 'commander';
import {
  HOLDS,
  ICONS,
  type Icon,
  counted,
  describeComputation,
  estimateCost,
  LINE_WAYS,
  RANGE_POLICIES,
  type RangePolicy,
  showBytes,
  type LineWay,
  showUnit,
  type Datastream,
  type Follow,
} from '@peatmoor/core';
import { BOARDS, PAST_UNITS, type Board, type Kind, type PastUnit } from '@peatmoor/contract';
import { claimCommands } from './claims';
import { readComputation, recomputeCommand, withComputing, type ComputingOptions } from './computed';
import { kindByName } from './kindByName';
import { readStream } from './readStream';
import { done, print, readCount, readDuration, readNumber, table } from './output';
import { signedInClient, UsageError } from './settings';
import { readPartOf, readStreams } from './parts';
import { kindStarterCommand } from './starters';

/** kind new|list|show|change|delete and stream new|list|change|delete */
export function kindCommands(program: Command): void {
  const kind = program.command('kind').description('device kinds: what devices of one sort have in common');
  kind
    .command('new <title>')
    .description('make a kind')
    .option(
      '--stream <stream...>',
      'datastreams, as key:type[:unit[:min:max]][:control|both], or key:choice:one|another',
    )
    .option('--part <part...>', 'parts on the board (part list names them); their datastreams are filled in')
    .option('--interval <seconds>', 'how often a message is expected', '60')
    .addHelpText('after', '\nExample:\n  peatmoor kind new Footbridge --stream visitors:integer:count:0:500')
    .action(
      async (
        title: string,
        options: { stream?: string[]; part?: string[]; interval: string },
        command: Command,
      ) => {
        const made = await signedInClient().call('createKind', {
          body: {
            title,
            intervalS: readCount(options.interval, '--interval'),
            streams: readStreams(options),
          },
        });
        print(
          command,
          made,
          (one) =>
            `Kind ${one.title} (number ${one.id}) is made, with ${counted(one.streams.length, 'datastream')}.`,
        );
      },
    );
  kind
    .command('list')
    .description('all kinds')
    .addHelpText('after', '\nExample:\n  peatmoor kind list')
    .action(async (_options: unknown, command: Command) => {
      const kinds = await signedInClient().call('listKinds');
      print(command, kinds, (list) =>
        table(
          ['kind', 'title', 'devices', 'interval', 'datastreams'],
          list.map((one) => [
            one.id,
            one.title,
            one.devices,
            `${one.intervalS} s`,
            one.streams.map(({ key }) => key).join(', '),
          ]),
          'No kinds yet.',
        ),
      );
    });
  kind
    .command('show <kind>')
    .description('one kind with its datastreams')
    .addHelpText('after', '\nExample:\n  peatmoor kind show Dipwell')
    .action(async (name: string, _options: unknown, command: Command) => {
      const one = await kindByName(signedInClient(), name);
      print(
        command,
        one,
        (found) =>
          `${found.title}: ${counted(found.devices, 'device')}, a message expected every ${found.intervalS} s${found.board && `, ${found.board}`}\n\n${streamTable(found)}\n\n${costTable(found)}`,
      );
    });
  kind
    .command('change <kind>')
    .description('change title or expected interval; boards that run a starter follow the interval')
    .option('--title <title>', 'new title')
    .option('--interval <seconds>', 'how often a message is expected')
    .option('--accept-new <on|off>', 'whether an unknown name makes a datastream')
    .option('--notes <text>', 'notes')
    .option('--board <board>', `board family: ${BOARDS.filter(Boolean).join(', ')}`)
    .option('--drawing <drawing>', `small drawing: ${ICONS.filter(Boolean).join(', ')}`)
    .addHelpText('after', '\nExample:\n  peatmoor kind change Dipwell --interval 30')
    .action(
      async (
        name: string,
        options: {
          title?: string;
          interval?: string;
          acceptNew?: string;
          notes?: string;
          board?: string;
          drawing?: string;
        },
        command: Command,
      ) => {
        if (options.acceptNew !== undefined && !['on', 'off'].includes(options.acceptNew))
          throw new UsageError('--accept-new is on or off.');
        const client = signedInClient();
        const { id } = await kindByName(client, name);
        const body = {
          ...(options.title !== undefined && { title: options.title }),
          ...(options.interval !== undefined && { intervalS: readCount(options.interval, '--interval') }),
          ...(options.acceptNew !== undefined && { acceptNew: options.acceptNew === 'on' }),
          ...(options.notes !== undefined && { notes: options.notes }),
          ...(options.board !== undefined && { board: options.board as Board }),
          ...(options.drawing !== undefined && { icon: options.drawing as Icon }),
        };
        print(
          command,
          await client.call('changeKind', { params: { kind: id }, body }),
          (one) =>
            `${one.title}: a message expected every ${one.intervalS} s, new names are ${one.acceptNew ? 'accepted' : 'refused'}.`,
        );
      },
    );
  kind
    .command('copy <kind> <title>')
    .description('make a kind with the same datastreams')
    .addHelpText('after', '\nExample:\n  peatmoor kind copy Dipwell "Dipwell with logger"')
    .action(async (name: string, title: string, _options: unknown, command: Command) => {
      const client = signedInClient();
      const { id } = await kindByName(client, name);
      const made = await client.call('copyKind', { params: { kind: id }, body: { title } });
      print(
        command,
        made,
        (one) =>
          `Kind ${one.title} (number ${one.id}) is made, with ${counted(one.streams.length, 'datastream')}.`,
      );
    });
  kind
    .command('delete <kind>')
    .description('delete a kind that has no devices')
    .addHelpText('after', '\nExample:\n  peatmoor kind delete Footbridge')
    .action(async (name: string, _options: unknown, command: Command) => {
      const client = signedInClient();
      const { id, title } = await kindByName(client, name);
      await client.call('deleteKind', { params: { kind: id } });
      done(command, { kind: title, deleted: true }, `${title} is deleted.`);
    });

  claimCommands(kind);
  kindStarterCommand(kind);

  const stream = program.command('stream').description('datastreams of a kind');
  withComputing(
    stream
      .command('new <kind> <stream...>')
      .description('add datastreams, as key:type[:unit[:min:max]][:control|both], or key:choice:one|another'),
  )
    .addHelpText(
      'after',
      '\nExamples:\n  peatmoor stream new Dipwell acidity:number:pH:0:14\n  peatmoor stream new Dipwell depth:number:cm --formula "water_level / 10"\n  peatmoor stream new "Rain meter" rain_hour:number:mm --compute sum --of rain --each hour',
    )
    .action(async (name: string, texts: string[], options: ComputingOptions, command: Command) => {
      const client = signedInClient();
      const computation = readComputation(options);
      const { id } = await kindByName(client, name);
      const made = [];
      for (const text of texts)
        made.push(
          await client.call('createStream', {
            params: { kind: id },
            body: { ...readStream(text), computation },
          }),
        );
      print(command, made, (list) => `Added: ${list.map(({ key }) => key).join(', ')}.`);
    });
  stream
    .command('list <kind>')
    .description('datastreams of a kind')
    .addHelpText('after', '\nExample:\n  peatmoor stream list Dipwell')
    .action(async (name: string, _options: unknown, command: Command) => {
      const one = await kindByName(signedInClient(), name);
      print(command, one.streams, () => streamTable(one));
    });
  stream
    .command('change <kind> <key>')
    .description('change a datastream; a changed key keeps the old one as alias')
    .option('--key <key>', 'new key')
    .option('--title <title>', 'new title')
    .option('--unit <unit>', 'unit code of the SenML registry; empty for none')
    .addOption(
      new Option(
        '--past <what>',
        'what becomes of readings, limits and scales where the unit is another: shown in it, or only called so',
      ).choices(PAST_UNITS),
    )
    .option('--sent-unit <unit>', 'unit in which boards send it; empty for the same')
    .option('--min <min>', 'lower end of the range; empty for none')
    .option('--max <max>', 'upper end of the range; empty for none')
    .option('--decimals <decimals>', 'decimals to show')
    .option('--choices <texts>', 'texts of a choice, with commas between')
    .addOption(
      new Option('--outside <what>', 'what happens to a value outside the range').choices(RANGE_POLICIES),
    )
    .option('--part <part>', 'the part it comes from (part list), with unit and range; empty for none')
    .option('--board-pin <text>', 'pin of the board, such as "GPIO 34"')
    .option('--pin <pin>', 'virtual pin, 0 to 999; empty for none')
    .option('--default <value>', 'what a control is wanted to be from the start; empty for nothing')
    .addOption(new Option('--holds <how>', 'how long a wanted value holds').choices(HOLDS))
    .option('--time-limit <seconds>', 'time within which it must be applied; empty for none')
    .addOption(
      new Option('--asks <whether>', 'whether people are asked before it is sent from a page').choices([
        'yes',
        'no',
      ]),
    )
    .option('--run-at-most <value=time>', 'how long it may stay at a value, such as on=20min; empty for any')
    .option('--then <value>', 'what it goes to then')
    .option('--rest <time>', 'how long it rests after it', '0s')
    .option(
      '--without-link <value=time>',
      'what the board makes it once it heard nothing for so long; empty for nothing',
    )
    .option('--follow <key>', 'datastream that must follow a control; empty for none')
    .option('--within <time>', 'how soon it must follow', '30s')
    .option('--tolerance <amount>', 'how far it may be from what is wanted', '0')
    .option('--level <wanted=min..max...>', 'levels to which it must come instead, such as on=200..')
    .option('--rise <wanted=min..max...>', 'by how much it must change instead')
    .addHelpText('after', '\nExample:\n  peatmoor stream change Dipwell water_level --max 150 --pin 4')
    .action(async (name: string, key: string, options: ChangeStreamOptions, command: Command) => {
      const client = signedInClient();
      const { id, streams } = await kindByName(client, name);
      const before = streams.find((one) => one.key === key);
      if (before === undefined)
        throw new UsageError(
          `${name} has no datastream "${key}". It has: ${streams.map((one) => one.key).join(', ')}.`,
        );
      const number = (name: string, text: string | undefined, was: number | null): number | null =>
        text === undefined ? was : text === '' ? null : readNumber(text, name);
      const { id: _id, ...kept } = before;
      const unit = options.unit === undefined ? before.unit : options.unit || null;
      const body = {
        ...kept,
        key: options.key ?? before.key,
        title: options.title ?? before.title,
        unit,
        ...(options.sentUnit !== undefined && { sentUnit: options.sentUnit || null }),
        // A program that says it each time changes the unit once.
        ...(options.past !== undefined && unit !== before.unit && { past: options.past as PastUnit }),
        min: number('--min', options.min, before.min),
        max: number('--max', options.max, before.max),
        decimals: number('--decimals', options.decimals, before.decimals),
        ...(options.choices !== undefined && {
          choices: options.choices
            .split(',')
            .map((one) => one.trim())
            .filter(Boolean),
        }),
        ...(options.outside !== undefined && { rangePolicy: options.outside as RangePolicy }),
        ...(options.part !== undefined && readPartOf(options.part)),
        ...(options.boardPin !== undefined && { boardPin: options.boardPin }),
        pin: number('--pin', options.pin, before.pin),
        defaultValue: options.default === undefined ? before.defaultValue : options.default || null,
        holds: (options.holds as typeof before.holds | undefined) ?? before.holds,
        timeLimitS: number('--time-limit', options.timeLimit, before.timeLimitS),
        follow: options.follow === undefined ? before.follow : readFollow(options),
        asks: options.asks === undefined ? before.asks : options.asks === 'yes',
        ...readKeep(options),
      };
      print(
        command,
        await client.call('changeStream', { params: { kind: id, stream: key }, body }),
        (one) => `${one.key} is changed.`,
      );
    });
  recomputeCommand(stream);
  stream
    .command('delete <kind> <key>')
    .description('delete a datastream with all its readings')
    .requiredOption('--yes', 'yes, with its readings')
    .addHelpText('after', '\nExample:\n  peatmoor stream delete Dipwell acidity --yes')
    .action(async (name: string, key: string, _options: unknown, command: Command) => {
      const client = signedInClient();
      const { id } = await kindByName(client, name);
      await client.call('deleteStream', { params: { kind: id, stream: key } });
      done(command, { stream: key, deleted: true }, `${key} is deleted, with its readings.`);
    });
}

/** What keeps a control safe, from options; what is not said stays. */
function readKeep({
  runAtMost,
  then,
  rest,
  withoutLink,
}: ChangeStreamOptions): Partial<Pick<Datastream, 'runAtMost' | 'withoutLink'>> {
  const seconds = (text: string): number => Math.round(readDuration(text) / 1000);
  const read = (option: string, text: string): [string, number] => {
    const [, value, time] = /^(.+)=(.+)$/.exec(text) ?? [];
    if (value === undefined || time === undefined)
      throw new UsageError(`${option} "${text}" is not value=time, such as on=20min.`);
    return [value, seconds(time)];
  };
  const made: Partial<Pick<Datastream, 'runAtMost' | 'withoutLink'>> = {};
  if (runAtMost === '') made.runAtMost = null;
  else if (runAtMost !== undefined) {
    const [value, mostS] = read('--run-at-most', runAtMost);
    if (then === undefined) throw new UsageError('Say with --then what it goes to then, such as --then off.');
    made.runAtMost = { value, mostS, then, restS: rest === undefined || rest === '0s' ? 0 : seconds(rest) };
  } else if (then !== undefined)
    throw new UsageError('--then says what it goes to after --run-at-most; give both.');
  if (withoutLink === '') made.withoutLink = null;
  else if (withoutLink !== undefined) {
    const [value, afterS] = read('--without-link', withoutLink);
    made.withoutLink = { value, afterS };
  }
  return made;
}

type ChangeStreamOptions = Record<string, string | undefined> & FollowOptions;
interface FollowOptions {
  follow?: string;
  within?: string;
  tolerance?: string;
  level?: string[];
  rise?: string[];
}

/** What must follow a control, from options; null for nothing. */
function readFollow({ follow, within = '30s', tolerance = '0', level, rise }: FollowOptions): Follow | null {
  if (follow === undefined || follow === '') return null;
  if (level !== undefined && rise !== undefined) throw new UsageError('Give --level or --rise, not both.');
  return {
    stream: follow,
    way: level !== undefined ? 'level' : rise !== undefined ? 'rise' : 'same',
    withinS: Math.round(readDuration(within) / 1000),
    tolerance: readNumber(tolerance, '--tolerance'),
    steps: (level ?? rise ?? []).map((text) => {
      const [, wanted = '', min = '', max = ''] = /^([^=]*)=(.*?)\.\.(.*)$/.exec(text) ?? [];
      if (min === '' && max === '')
        throw new UsageError(`"${text}" is not wanted=min..max, such as on=200.. or =..5`);
      const bound = (one: string): number | null => (one === '' ? null : readNumber(one, text));
      return { wanted, min: bound(min), max: bound(max) };
    }),
  };
}

/** What a device of the kind sends and stores, estimated. */
function costTable({ streams, intervalS }: Kind): string {
  const { lineBytesADay, storedBytesAYear } = estimateCost(streams, intervalS);
  return [
    table(
      ['way in', 'on the line, estimated'],
      (Object.keys(LINE_WAYS) as LineWay[]).map((way) => [
        LINE_WAYS[way],
        `about ${showBytes(lineBytesADay[way])} a day`,
      ]),
      '',
    ),
    `In the database: ${showBytes(storedBytesAYear.least)} to ${showBytes(storedBytesAYear.most)} a year for each device.`,
  ].join('\n');
}

function streamTable({ streams }: Kind): string {
  const range = (min: number | null, max: number | null): string =>
    min === null && max === null ? '–' : `${min ?? '…'} to ${max ?? '…'}`;
  return table(
    ['datastream', 'title', 'type', 'unit', 'range', 'direction', 'virtual pin', 'part', 'aliases'],
    streams.map((one) => [
      one.key,
      one.title,
      one.type,
      showUnit(one.unit),
      range(one.min, one.max),
      one.computation === null ? one.direction : describeComputation(one.computation),
      one.pin,
      [one.part, one.boardPin].filter(Boolean).join(' on '),
      one.aliases.join(', '),
    ]),
    'No datastreams yet.',
  );
}
