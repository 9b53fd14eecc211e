import type { Command } from 'commander';
import type { Calibration } from '@peatmoor/core';
import { done, print, readMoment, readNumber, showTime, table } from './output';
import { signedInClient, UsageError } from './settings';

/** calibration new|list|delete: putting right what a sensor says; raw values stay as they came. */
export function calibrationCommands(program: Command): void {
  const calibration = program
    .command('calibration')
    .description('put right what a sensor says; raw values stay as they came');
  calibration
    .command('new <device> <stream>')
    .description('by a factor and an offset, or by points of a table')
    .option('--scale <factor>', 'what is measured times this')
    .option('--offset <amount>', 'plus this')
    .option('--point <measured=true...>', 'points between which it is straight, at least two')
    .option('--from <time>', 'from this time on, ISO 8601; over all history otherwise')
    .option('--try', 'only show what it would make of recent readings')
    .addHelpText(
      'after',
      '\nExamples:\n  peatmoor calibration new dipwell-north water_level --offset 12 --try\n  peatmoor calibration new hut acidity --point 3.9=4.01 7.2=7.00',
    )
    .action(
      async (
        device: string,
        stream: string,
        options: { scale?: string; offset?: string; point?: string[]; from?: string; try?: boolean },
        command: Command,
      ) => {
        const made = await signedInClient().call('createCalibration', {
          params: { device },
          body: {
            stream,
            calibration: readCalibration(options),
            from: readMoment(options.from),
            try: options.try ?? false,
          },
        });
        print(command, made, ({ preview }) =>
          [
            options.try
              ? 'Nothing is kept yet. It would make of the newest readings:'
              : 'Kept. Of the newest readings it makes:',
            '',
            table(
              ['time', 'measured', 'shown'],
              preview.slice(-8).map(([at, measured, shown]) => [showTime(at), measured, shown]),
              'There are no readings yet to show it on.',
            ),
          ].join('\n'),
        );
      },
    );
  calibration
    .command('list <device>')
    .description('calibrations of a device, the newest first')
    .addHelpText('after', '\nExample:\n  peatmoor calibration list dipwell-north')
    .action(async (device: string, _options: unknown, command: Command) => {
      const list = await signedInClient().call('listCalibrations', { params: { device } });
      print(command, list, (all) =>
        table(
          ['calibration', 'datastream', 'how', 'from', 'by', 'made'],
          all.map((one) => [
            one.id,
            one.stream,
            describe(one.calibration),
            one.from === null ? 'all history' : showTime(one.from),
            one.by,
            showTime(one.at),
          ]),
          'Nothing is calibrated.',
        ),
      );
    });
  calibration
    .command('delete <device> <calibration>')
    .description('take a calibration back; raw values are as they were')
    .addHelpText('after', '\nExample:\n  peatmoor calibration delete dipwell-north 4')
    .action(async (device: string, id: string, _options: unknown, command: Command) => {
      await signedInClient().call('deleteCalibration', { params: { device, calibration: id } });
      done(command, { calibration: id, deleted: true }, `Calibration ${id} is taken back.`);
    });
}

function readCalibration(options: { scale?: string; offset?: string; point?: string[] }): Calibration {
  if (options.point === undefined) {
    if (options.scale === undefined && options.offset === undefined)
      throw new UsageError('Say how: --scale, --offset, or --point measured=true for each point.');
    return {
      form: 'linear',
      scale: readNumber(options.scale ?? '1', '--scale'),
      offset: readNumber(options.offset ?? '0', '--offset'),
    };
  }
  if (options.scale !== undefined || options.offset !== undefined)
    throw new UsageError('Give --point, or --scale and --offset, not both.');
  if (options.point.length < 2) throw new UsageError('A table has at least two points.');
  return {
    form: 'table',
    points: options.point.map((text) => {
      const [measured = '', right = ''] = text.split('=');
      return [readNumber(measured, '--point'), readNumber(right, '--point')];
    }),
  };
}

function describe(calibration: Calibration): string {
  if (calibration.form === 'table')
    return calibration.points.map(([measured, right]) => `${measured}=${right}`).join(' ');
  return `× ${calibration.scale} ${calibration.offset < 0 ? '−' : '+'} ${Math.abs(calibration.offset)}`;
}
