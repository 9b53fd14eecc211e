import { readSetTime, setTimeWords } from '@peatmoor/core';
import type { Timetable } from '@peatmoor/contract';
import type { Command } from 'commander';
import { done, print, readMoment, showTime, table } from './output';
import { signedInClient, UsageError } from './settings';

/** timetable new|list|change|delete and note new|list|delete */
export function timetableCommands(program: Command): void {
  const timetable = program
    .command('timetable')
    .description('set times at which the service wants a control’s value, with no program or page open');
  timetable
    .command('new <device> <stream> <time...>')
    .description('make a timetable; a time is such as 06:30=on, mon-fri 22:00=off, sunset-20=on')
    .option('--title <title>', 'a name for it')
    .option('--catch-up', 'after an outage the newest missed value is wanted all the same')
    .addHelpText(
      'after',
      '\nExample:\n  peatmoor timetable new sluice-mill opening_wanted "mon-fri 06:30=40" "sunset+30=0"',
    )
    .action(
      async (
        device: string,
        stream: string,
        times: string[],
        options: { title?: string; catchUp?: boolean },
        command: Command,
      ) => {
        const made = await signedInClient().call('createTimetable', {
          params: { device },
          body: {
            title: options.title ?? `${stream} of ${device}`.slice(0, 80),
            stream,
            times: times.map(readTime),
            catchUp: options.catchUp ?? false,
          },
        });
        print(command, made, (one) => `Timetable ${one.id} is made. ${nextWords(one)}`);
      },
    );
  timetable
    .command('list [device]')
    .description('timetables of a device, or all')
    .addHelpText('after', '\nExample:\n  peatmoor timetable list sluice-mill')
    .action(async (device: string | undefined, _options: unknown, command: Command) => {
      const list = await signedInClient().call('listTimetables', {
        query: device === undefined ? {} : { device },
      });
      print(command, list, (all) =>
        table(
          ['timetable', 'device', 'control', 'times', 'next', ''],
          all.map((one) => [
            one.id,
            one.deviceId,
            one.stream,
            one.times.map(setTimeWords).join('; '),
            one.active ? nextWords(one) : 'switched off',
            one.note,
          ]),
          'No timetables yet.',
        ),
      );
    });
  timetable
    .command('change <timetable>')
    .description('switch a timetable on or off, or give it other times')
    .option('--on', 'switch it on')
    .option('--off', 'switch it off')
    .option('--time <time...>', 'times instead of those it has')
    .option('--title <title>', 'a name for it')
    .addHelpText('after', '\nExample:\n  peatmoor timetable change 1 --off')
    .action(
      async (
        id: string,
        options: { on?: boolean; off?: boolean; time?: string[]; title?: string },
        command: Command,
      ) => {
        const client = signedInClient();
        const before = await client.call('readTimetable', { params: { timetable: id } });
        const { stream, catchUp } = before;
        const changed = await client.call('changeTimetable', {
          params: { timetable: id },
          body: {
            stream,
            catchUp,
            title: options.title ?? before.title,
            times: options.time?.map(readTime) ?? before.times,
            active: options.on ? true : options.off ? false : before.active,
          },
          ifVersion: before.version,
        });
        print(command, changed, (one) => `${one.title}: ${one.active ? nextWords(one) : 'switched off.'}`);
      },
    );
  timetable
    .command('delete <timetable>')
    .description('delete a timetable')
    .addHelpText('after', '\nExample:\n  peatmoor timetable delete 1')
    .action(async (id: string, _options: unknown, command: Command) => {
      await signedInClient().call('deleteTimetable', { params: { timetable: id } });
      done(command, { timetable: id, deleted: true }, `Timetable ${id} is deleted.`);
    });
  const note = program
    .command('note')
    .description('remarks at times on a device’s time axis: "sensor cleaned"');
  note
    .command('new <device> <text>')
    .description('write a note')
    .option('--at <time>', 'when it was, in ISO 8601; now otherwise')
    .addHelpText('after', '\nExample:\n  peatmoor note new dipwell-north "sensor cleaned"')
    .action(async (device: string, text: string, options: { at?: string }, command: Command) => {
      const made = await signedInClient().call('createNote', {
        params: { device },
        body: { text, ...(options.at !== undefined && { at: readMoment(options.at)! }) },
      });
      print(command, made, (one) => `Noted at ${showTime(one.at)}: ${one.text}`);
    });
  note
    .command('list <device>')
    .description('notes of a device, the newest first')
    .addHelpText('after', '\nExample:\n  peatmoor note list dipwell-north')
    .action(async (device: string, _options: unknown, command: Command) => {
      const list = await signedInClient().call('listNotes', { params: { device } });
      print(command, list, (all) =>
        table(
          ['note', 'at', 'text', 'by'],
          all.map(({ id, at, text, by }) => [id, showTime(at), text, by]),
          'No notes yet.',
        ),
      );
    });
  note
    .command('delete <note>')
    .description('delete a note')
    .addHelpText('after', '\nExample:\n  peatmoor note delete 3')
    .action(async (id: string, _options: unknown, command: Command) => {
      await signedInClient().call('deleteNote', { params: { note: id } });
      done(command, { note: id, deleted: true }, `Note ${id} is deleted.`);
    });
}

function readTime(text: string) {
  const time = readSetTime(text);
  if (time === null)
    throw new UsageError(
      `"${text}" is not a set time. Write 06:30=on, mon-fri 22:00=off, sat,sun sunset-20=on.`,
    );
  return time;
}

function nextWords({ next, zone }: Timetable): string {
  return next === null
    ? 'Nothing is due within a year.'
    : `Next: ${next.value} at ${showTime(next.at)} (its clock: ${zone}).`;
}
