import type { Command } from 'commander';
import { counted, showReading, showValue } from '@peatmoor/core';
import type { Arrival, Kind } from '@peatmoor/contract';
import { print, readCount, readMoment, showTime } from './output';
import { signedInClient } from './settings';

/** An arrival as one line: what was accepted, what was refused and why. */
export function showArrival(arrival: Arrival, kind: Kind | undefined): string {
  const values = arrival.accepted.map(({ key, value }) => {
    const stream = kind?.streams.find((one) => one.key === key);
    return `${key} ${stream === undefined ? showValue({ type: 'number', decimals: null }, value) : showReading(stream, value)}`;
  });
  const more =
    arrival.acceptedCount > values.length ? ` and ${arrival.acceptedCount - values.length} more` : '';
  const refused = arrival.refused.map(
    ({ name, reason, hint }) => `✗ ${[name, reason].filter(Boolean).join(' ')}: ${hint}`,
  );
  const number = arrival.number === null ? '' : `#${arrival.number} `;
  return [`${number}${values.join(', ')}${more}`.trim(), ...refused].filter(Boolean).join('\n    ');
}

/** device try-again|forget|arrivals: what came from a device, and what becomes of it */
export function arrivalCommands(device: Command): void {
  device
    .command('try-again <device>')
    .alias('retake')
    .description('take the refused messages that are kept once more, now that their cause is mended')
    .addHelpText('after', '\nExample:\n  peatmoor device try-again footbridge')
    .action(async (id: string, _options: unknown, command: Command) => {
      const result = await signedInClient().call('retake', { params: { device: id } });
      print(
        command,
        result,
        ({ messages, accepted, stillRefused }) =>
          `${counted(messages, 'message')} taken again: ${counted(accepted, 'value')} accepted, ${stillRefused} still refused.`,
      );
    });
  device
    .command('forget <device> <stream>')
    .description('delete readings of a datastream: a period, or all')
    .option('--from <time>', 'from this time on, ISO 8601')
    .option('--to <time>', 'up to this time')
    .option('--yes', 'yes, delete them; otherwise they are only counted')
    .addHelpText(
      'after',
      '\nExample:\n  peatmoor device forget dipwell-north water_level --from 2026-03-01T10:00Z --to 2026-03-01T12:00Z --yes',
    )
    .action(
      async (
        id: string,
        stream: string,
        options: { from?: string; to?: string; yes?: boolean },
        command: Command,
      ) => {
        const body = {
          stream,
          from: readMoment(options.from),
          to: readMoment(options.to),
          try: !options.yes,
        };
        const result = await signedInClient().call('deleteReadings', { params: { device: id }, body });
        print(command, result, ({ count }) =>
          options.yes
            ? `${counted(count, 'reading is', 'readings are')} deleted.`
            : `${counted(count, 'reading')}; add --yes to delete them.`,
        );
      },
    );
  device
    .command('arrivals <device>')
    .description('messages of a device, newest first: accepted, or refused and why')
    .option('--last <count>', 'how many', '20')
    .addHelpText('after', '\nExample:\n  peatmoor device arrivals dipwell-north --last 5')
    .action(async (id: string, options: { last: string }, command: Command) => {
      const client = signedInClient();
      const one = await client.call('readDevice', { params: { device: id } });
      const kind = await client.call('readKind', { params: { kind: one.kindId } });
      const list = (await client.call('listArrivals', { params: { device: id } })).slice(
        0,
        readCount(options.last, '--last'),
      );
      print(
        command,
        list,
        (all) =>
          all
            .map(
              (arrival) =>
                `${showTime(arrival.receivedAt)}  ${arrival.way.padEnd(8)}  ${showArrival(arrival, kind)}`,
            )
            .join('\n') || 'Nothing has arrived yet.',
      );
    });
}
