import fs from 'node:fs';
import { Command } from 'commander';
import {
  counted,
  sheetCell,
  pasteLines,
  readLocation,
  showLocation,
  showReading,
  type Location,
} from '@peatmoor/core';
import type { Device, Kind } from '@peatmoor/contract';
import { done, print, readCount, showTime, table } from './output';
import { signedInClient, UsageError } from './settings';
import { kindByName } from './kindByName';
import { arrivalCommands } from './arrivals';
import { readStreams } from './parts';
import { handoverCommands } from './handover';
import { installCommands } from './install';
import { planOf, starterCommand } from './starters';

export function showPresence({ presence }: Device): string {
  if (presence.state === 'never') return 'never reported';
  return presence.state === 'online' ? 'online' : `not heard since ${showTime(presence.since)}`;
}

function readPlace(text: string): Location | null {
  if (text === '') return null;
  const place = readLocation(text, 'place');
  if ('reason' in place) throw new UsageError(place.hint);
  return place;
}

/** device new|list|show|change|delete|token|starter|arrivals */
export function deviceCommands(program: Command): void {
  const device = program
    .command('device')
    .description('register devices, see them, get their tokens and starter programs');
  device
    .command('new <name>')
    .description('register a device; its token is shown once')
    .option('--kind <kind>', 'an existing kind, by title or number')
    .option('--id <id>', 'device ID; proposed from the name otherwise')
    .option(
      '--stream <stream...>',
      'for a device of a new kind: what it measures and accepts, as key:type[:unit[:min:max]][:control|both], or key:choice:one|another',
    )
    .option(
      '--part <part...>',
      'for a new kind: parts on the board (part list names them); their datastreams are filled in',
    )
    .option('--interval <seconds>', 'for a new kind: how often a message is expected', '60')
    .option('--gateway <device>', 'for a sub-device: the device that reports for it')
    .option('--serial <text>', 'for a sub-device: the text by which its gateway names it')
    .option('--label <label...>', 'labels')
    .addHelpText(
      'after',
      '\nExamples:\n  peatmoor device new "Dipwell East" --kind Dipwell\n  peatmoor device new "Footbridge" --stream visitors:integer:count:0:500 lamp:boolean:control\n  peatmoor device new "Hut" --part climate-wire soil-moisture relay',
    )
    .action(
      async (
        name: string,
        options: {
          kind?: string;
          id?: string;
          stream?: string[];
          part?: string[];
          interval: string;
          gateway?: string;
          serial?: string;
          label?: string[];
        },
        command: Command,
      ) => {
        const client = signedInClient();
        if (options.kind !== undefined && (options.stream ?? options.part) !== undefined)
          throw new UsageError(
            'Give either --kind (an existing kind), or --stream and --part (for a new one).',
          );
        const kind = options.kind === undefined ? undefined : await kindByName(client, options.kind);
        const made = await client.call('createDevice', {
          body: {
            name,
            ...(options.id !== undefined && { id: options.id }),
            ...(options.gateway !== undefined && { gateway: options.gateway }),
            ...(options.serial !== undefined && { serial: options.serial }),
            ...(options.label !== undefined && { labels: options.label }),
            ...(kind === undefined
              ? {
                  newKind: {
                    title: name,
                    intervalS: readCount(options.interval, '--interval'),
                    streams: readStreams(options),
                  },
                }
              : { kindId: kind.id }),
          },
        });
        print(command, made, ({ device: one, token }) =>
          [
            `Device ${one.id} (${one.name}) is registered, of the kind ${one.kindTitle}.`,
            `Its token, shown only now:`,
            '',
            `  ${token}`,
            '',
            `Next: peatmoor device starter ${one.id} cpp --token <token> --out <folder>`,
          ].join('\n'),
        );
      },
    );
  device
    .command('new-many <file>')
    .description('register many devices from a CSV list of name, kind and perhaps id and labels; all or none')
    .requiredOption('--out <file>', 'file for their IDs and tokens, which are shown only now')
    .addHelpText(
      'after',
      '\nExample:\n  peatmoor device new-many dipwells.csv --out tokens.csv\n  (dipwells.csv: name,kind,labels / Dipwell 8,Dipwell,moss;north)',
    )
    .action(async (file: string, options: { out: string }, command: Command) => {
      if (!fs.existsSync(file)) throw new UsageError(`There is no file "${file}".`);
      if (fs.existsSync(options.out))
        throw new UsageError(`${options.out} is there already; tokens are not written over a file.`);
      const told = (made: unknown[]): void =>
        print(
          command,
          made,
          () =>
            `${counted(made.length, 'device is', 'devices are')} registered; their tokens are in ${options.out}.`,
        );
      // Opened first: tokens are shown only once, and must have a place to go to.
      let out: number;
      try {
        out = fs.openSync(options.out, 'wx', 0o600);
      } catch (error) {
        throw new UsageError(
          `${options.out} cannot be written (${(error as Error).message}). Nothing was registered; name another file.`,
        );
      }
      let kept = false;
      try {
        const made = await signedInClient().call('createDevices', {
          body: { csv: fs.readFileSync(file, 'utf8') },
        });
        kept = true;
        const rows = made.map(({ id, name, token }) => [id, name, token].map(sheetCell).join(','));
        fs.writeSync(out, `id,name,token\n${rows.join('\n')}\n`);
        fs.fsyncSync(out);
        told(made);
      } finally {
        fs.closeSync(out);
        if (!kept) fs.rmSync(options.out);
      }
    });
  device
    .command('move <kind> <device...>')
    .description('move devices to another kind; first told which readings would be lost')
    .option('--yes', 'yes, move them; otherwise it is only told')
    .addHelpText(
      'after',
      '\nExample:\n  peatmoor device move "Dipwell with logger" dipwell-north dipwell-south --yes',
    )
    .action(async (name: string, devices: string[], options: { yes?: boolean }, command: Command) => {
      const client = signedInClient();
      const kind = await kindByName(client, name);
      const result = await client.call('moveDevices', {
        params: { kind: kind.id },
        body: { devices, try: !options.yes },
      });
      print(command, result, ({ moved, keeps, loses }) =>
        [
          `${options.yes ? counted(moved, 'device is', 'devices are') : `${counted(moved, 'device')} would be`} of the kind ${kind.title}. History goes along of: ${keeps.join(', ') || 'nothing'}.`,
          ...loses.map(
            (one) =>
              `${options.yes ? 'lost' : 'would be lost'}: ${counted(one.readings, 'reading')} of ${one.stream} of ${one.device}`,
          ),
          ...(options.yes ? [] : ['Add --yes to move them.']),
        ].join('\n'),
      );
    });
  device
    .command('list')
    .description('all devices with presence and newest readings')
    .addHelpText('after', '\nExample:\n  peatmoor device list')
    .action(async (_options: unknown, command: Command) => {
      const client = signedInClient();
      const [devices, kinds] = [await client.call('listDevices'), await client.call('listKinds')];
      print(command, devices, (list) =>
        table(
          ['device', 'name', 'kind', 'state', 'newest'],
          list.map((one) => [one.id, one.name, one.kindTitle, showPresence(one), showNewest(one, kinds)]),
          'No devices yet. Make one: peatmoor device new "My first board" --stream temperature:number:Cel',
        ),
      );
    });
  device
    .command('show <device>')
    .description('one device: presence, newest readings, tokens, lines to paste')
    .addHelpText('after', '\nExample:\n  peatmoor device show dipwell-north')
    .action(async (id: string, _options: unknown, command: Command) => {
      const client = signedInClient();
      const one = await client.call('readDevice', { params: { device: id } });
      const kind = await client.call('readKind', { params: { kind: one.kindId } });
      const tokens = await client.call('listTokens', { params: { device: id } });
      const lines = pasteLines(await planOf(client, one, kind, null));
      print(command, { ...one, tokens, streams: kind.streams }, () =>
        [
          `${one.name} (${one.id}), ${one.kindTitle}: ${showPresence(one)}${one.openEvents > 0 ? `, ${counted(one.openEvents, 'open event')}` : ''}`,
          ...factsOf(one, kind),
          '',
          table(
            ['datastream', 'direction', 'newest', 'measured'],
            kind.streams.map((stream) => {
              const newest = one.newest.find(({ key }) => key === stream.key);
              return [
                stream.key,
                stream.direction,
                newest === undefined ? null : showReading(stream, newest.value),
                newest === undefined ? null : showTime(newest.at),
              ];
            }),
            'No datastreams.',
          ),
          '',
          table(
            ['token', 'fingerprint', 'name', 'made', 'used', 'state'],
            tokens.map((token) => [
              token.id,
              token.fingerprint,
              token.title,
              showTime(token.createdAt),
              showTime(token.usedAt),
              token.withdrawnAt === null ? 'in use' : `withdrawn ${showTime(token.withdrawnAt)}`,
            ]),
            'No tokens.',
          ),
          '',
          `HTTP  ${lines.curl}`,
          `MQTT  ${lines.mosquitto}`,
        ].join('\n'),
      );
    });
  device
    .command('change <device>')
    .description('change name, labels, place or notes of a device')
    .option('--name <name>', 'its new name')
    .option('--label <label...>', 'its labels, all of them')
    .option('--place <lat,lon>', 'where it is, in degrees north and east; empty for nowhere')
    .option('--notes <text>', 'notes')
    .addHelpText(
      'after',
      '\nExample:\n  peatmoor device change dipwell-north --name "Dipwell North 2" --label moss north --place 53.42,-1.86',
    )
    .action(
      async (
        id: string,
        options: { name?: string; label?: string[]; place?: string; notes?: string },
        command: Command,
      ) => {
        if (Object.keys(options).length === 0)
          throw new UsageError('Say what to change: --name, --label, --place or --notes.');
        const one = await signedInClient().call('changeDevice', {
          params: { device: id },
          body: {
            ...(options.name !== undefined && { name: options.name }),
            ...(options.label !== undefined && { labels: options.label }),
            ...(options.notes !== undefined && { notes: options.notes }),
            ...(options.place !== undefined && { place: readPlace(options.place) }),
          },
        });
        print(command, one, ({ name, labels, place }) =>
          [
            `${name}`,
            ...(labels.length > 0 ? [`labels: ${labels.join(', ')}`] : []),
            ...(place ? [showLocation(place)] : []),
          ].join('\n'),
        );
      },
    );
  device
    .command('delete <device>')
    .description('delete a device with all its readings')
    .requiredOption('--yes', 'yes, with its readings')
    .addHelpText('after', '\nExample:\n  peatmoor device delete dipwell-east --yes')
    .action(async (id: string, _options: unknown, command: Command) => {
      await signedInClient().call('deleteDevice', { params: { device: id } });
      done(command, { device: id, deleted: true }, `${id} is deleted, with its readings.`);
    });
  device
    .command('token <device>')
    .description('make another token, withdraw one, or ask whose a token is')
    .option('--name <name>', 'name of the new token')
    .option('--withdraw <token>', 'number of the token to withdraw (see device show)')
    .option('--whose <text>', 'tell device and state of a pasted token')
    .addHelpText(
      'after',
      '\nExamples:\n  peatmoor device token dipwell-north\n  peatmoor device token dipwell-north --withdraw 3\n  peatmoor device token - --whose moor…',
    )
    .action(
      async (id: string, options: { name?: string; withdraw?: string; whose?: string }, command: Command) => {
        const client = signedInClient();
        if (options.whose !== undefined)
          return print(
            command,
            await client.call('whoseToken', { body: { text: options.whose } }),
            ({ explanation }) => explanation,
          );
        if (options.withdraw !== undefined) {
          await client.call('withdrawToken', { params: { device: id, token: options.withdraw } });
          return done(
            command,
            { device: id, token: options.withdraw, withdrawn: true },
            'Withdrawn. Boards that use it are refused from now on.',
          );
        }
        const body = options.name === undefined ? {} : { title: options.name };
        const made = await client.call('createToken', { params: { device: id }, body });
        print(
          command,
          made,
          ({ secret, fingerprint }) =>
            `A new token of ${id}, shown only now (fingerprint ${fingerprint}):\n\n  ${secret}\n`,
        );
      },
    );
  starterCommand(device);
  installCommands(device);
  handoverCommands(device);
  arrivalCommands(device);
}

/** What else is known of a device, a line a thing. */
function factsOf(one: Device, kind: Kind): string[] {
  const { keeps, at, ...said } = one.about;
  const about = Object.entries(said).filter(([, value]) => value !== null && value !== undefined);
  const kept = [...new Set((keeps ?? '').split('\n').map((line) => line.split('\t')[0]))].filter(Boolean);
  return [
    ...(one.labels.length === 0 ? [] : [`Labels   ${one.labels.join(', ')}`]),
    ...(one.place ? [`Place    ${showLocation(one.place)}`] : []),
    ...(one.gateway === null
      ? []
      : [`Gateway  ${one.gateway}${one.serial === null ? '' : `, serial ${one.serial}`}`]),
    ...(one.gateway === null && one.serial !== null ? [`Serial   ${one.serial}`] : []),
    ...(kind.board === '' ? [] : [`Board    ${kind.board}`]),
    ...(about.length === 0
      ? []
      : [`Says     ${about.map(([name, value]) => `${name} ${String(value)}`).join(', ')}`]),
    ...(kept.length === 0
      ? []
      : [`Keeps    ${kept.join(', ')} by itself, as it said at ${showTime(at ?? 0)}`]),
    ...(one.notes === '' ? [] : [`Notes    ${one.notes.replaceAll('\n', '\n         ')}`]),
  ];
}

function showNewest(device: Device, kinds: Kind[]): string {
  const kind = kinds.find(({ id }) => id === device.kindId);
  return device.newest
    .map(({ key, value }) => {
      const stream = kind?.streams.find((one) => one.key === key);
      return stream === undefined ? '' : `${key} ${showReading(stream, value)}`;
    })
    .join(', ');
}
