import fs from 'node:fs';
import { Option, type Command } from 'commander';
import { counted, MOST_FIRMWARE_BYTES, showBytes } from '@peatmoor/core';
import { readProblem, type Firmware, type Round } from '@peatmoor/contract';
import { kindByName } from './kindByName';
import { done, print, readCount, showTime, table } from './output';
import { signedIn, signedInClient, UsageError, withWord } from './settings';

/** firmware new|list|delete|give|show|stop|continue: built programs that boards fetch by themselves. */
export function firmwareCommands(program: Command): void {
  const firmware = program
    .command('firmware')
    .description('built programs of a kind, which its boards fetch, check and start by themselves');
  firmware
    .command('new <kind> <version> <file>')
    .description('upload the file that your tool chain built; it is signed with the key of the kind')
    .option('--notes <text>', 'what is new in it')
    .addHelpText(
      'after',
      '\nExamples:\n  peatmoor firmware new Dipwell 1.1.0 .pio/build/board/firmware.bin --notes "measures every minute"\n  peatmoor firmware new Dipwell 1.1.0 main.py',
    )
    .action(
      async (name: string, version: string, file: string, options: { notes?: string }, command: Command) => {
        if (!fs.existsSync(file)) throw new UsageError(`There is no file "${file}".`);
        const { size } = fs.statSync(file);
        if (size > MOST_FIRMWARE_BYTES)
          throw new UsageError(
            `"${file}" has ${showBytes(size)}; ${showBytes(MOST_FIRMWARE_BYTES)} are taken at most.`,
          );
        const { id } = await kindByName(signedInClient(), name);
        const { url, key } = signedIn();
        const query = new URLSearchParams({ notes: options.notes ?? '' });
        const response = await withWord(
          fetch(`${url}/api/kinds/${id}/firmware/${encodeURIComponent(version)}?${query}`, {
            method: 'PUT',
            headers: { authorization: `Bearer ${key}`, 'content-type': 'application/octet-stream' },
            body: new Uint8Array(fs.readFileSync(file)),
          }),
        );
        if (!response.ok) throw new Error((await readProblem(response)).detail);
        print(command, (await response.json()) as Firmware, (one) =>
          [
            `Program ${one.version} is kept, ${showBytes(one.size)}.`,
            `Give it to one board first: peatmoor firmware give "${name}" ${one.version} --device …`,
          ].join('\n'),
        );
      },
    );
  firmware
    .command('list <kind>')
    .description('built programs of a kind')
    .addHelpText('after', '\nExample:\n  peatmoor firmware list Dipwell')
    .action(async (name: string, _options: unknown, command: Command) => {
      const client = signedInClient();
      const { id } = await kindByName(client, name);
      print(command, await client.call('listFirmware', { params: { kind: id } }), (list) =>
        table(
          ['version', 'size', 'uploaded', 'by', 'notes'],
          list.map((one) => [one.version, showBytes(one.size), showTime(one.at), one.by, one.notes]),
          'No programs yet. Upload one: peatmoor firmware new',
        ),
      );
    });
  firmware
    .command('delete <kind> <version>')
    .description('delete a built program; boards that run it go on')
    .addHelpText('after', '\nExample:\n  peatmoor firmware delete Dipwell 1.0.0')
    .action(async (name: string, version: string, _options: unknown, command: Command) => {
      const client = signedInClient();
      const { id } = await kindByName(client, name);
      await client.call('deleteFirmware', { params: { kind: id, version } });
      done(command, { version, deleted: true }, `Program ${version} is deleted.`);
    });
  firmware
    .command('give <kind> <version>')
    .description('give a program to boards: they fetch it within ten minutes')
    .addOption(new Option('--device <device>', 'to this one alone').conflicts('label'))
    .option('--label <label>', 'to those with this label')
    .option('--first <percent>', 'to so many percent of them first', '100')
    .option('--failures <boards>', 'boards that may fail before it stops by itself', '1')
    .addHelpText(
      'after',
      '\nExamples:\n  peatmoor firmware give Dipwell 1.1.0 --device dipwell-north\n  peatmoor firmware give Dipwell 1.1.0 --first 10 --failures 2',
    )
    .action(
      async (
        name: string,
        version: string,
        options: { device?: string; label?: string; first: string; failures: string },
        command: Command,
      ) => {
        const client = signedInClient();
        const { id } = await kindByName(client, name);
        const { device, label } = options;
        const round = await client.call('createRound', {
          params: { kind: id },
          body: {
            version,
            target: device !== undefined ? 'device' : label !== undefined ? 'label' : 'kind',
            name: device ?? label ?? '',
            percent: readCount(options.first, '--first'),
            mostFailures: readCount(options.failures, '--failures'),
          },
        });
        print(
          command,
          round,
          (one) => `Round ${one.id}: ${sentence(one)} Look: peatmoor firmware show "${name}"`,
        );
      },
    );
  firmware
    .command('show <kind>')
    .description('which program was given to whom, and how far each board has come')
    .addHelpText('after', '\nExample:\n  peatmoor firmware show Dipwell')
    .action(async (name: string, _options: unknown, command: Command) => {
      const client = signedInClient();
      const { id } = await kindByName(client, name);
      print(command, await client.call('listRounds', { params: { kind: id } }), (rounds) =>
        rounds.length === 0
          ? 'No program was given to boards yet.'
          : rounds
              .map((one) =>
                [
                  `Round ${one.id}: ${sentence(one)}`,
                  table(
                    ['device', 'state', 'fetched', 'since', 'note'],
                    one.devices.map((device) => [
                      device.id,
                      device.state,
                      device.bytes === 0 ? '' : showBytes(device.bytes),
                      showTime(device.at),
                      device.note,
                    ]),
                    'No board has asked yet.',
                  ),
                ].join('\n'),
              )
              .join('\n\n'),
      );
    });
  const change = (
    verb: string,
    about: string,
    body: { state?: 'going' | 'stopped' },
    more: (command: Command) => Command = (command) => command,
  ): void => {
    more(
      firmware
        .command(`${verb} <kind> <round>`)
        .description(about)
        .addHelpText('after', `\nExample:\n  peatmoor firmware ${verb} Dipwell 3`),
    ).action(async (name: string, round: string, options: { first?: string }, command: Command) => {
      const client = signedInClient();
      const { id } = await kindByName(client, name);
      const changed = await client.call('changeRound', {
        params: { kind: id, round: readCount(round, 'the round') },
        body: {
          ...body,
          ...(options.first !== undefined && { percent: readCount(options.first, '--first') }),
        },
      });
      print(command, changed, (one) => `Round ${one.id}: ${sentence(one)}`);
    });
  };
  change('stop', 'stop giving a program; boards that have fetched it keep it', { state: 'stopped' });
  change('continue', 'go on giving a program, also to more of the boards', { state: 'going' }, (command) =>
    command.option('--first <percent>', 'to so many percent of them from now on'),
  );
}

function sentence({ version, target, name, percent, state, reason, devices }: Round): string {
  const whom =
    target === 'device'
      ? name
      : `${percent === 100 ? 'all' : `the first ${percent} %`} ${target === 'label' ? `with the label ${name}` : 'of the kind'}`;
  const stays = devices.filter((one) => one.state === 'confirmed').length;
  return `${version} to ${whom}, ${state}; it runs on ${counted(stays, 'board')}.${reason && ` ${reason}`}`;
}
