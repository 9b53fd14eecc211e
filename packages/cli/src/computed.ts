import type { Command } from 'commander';
import { counted, COMPUTATION_FORMS, RESTARTS, type Computation } from '@peatmoor/core';
import type { Client, Recomputation } from '@peatmoor/contract';
import { print, readDuration, table } from './output';
import { kindByName } from './kindByName';
import { signedInClient, UsageError } from './settings';

export interface ComputingOptions {
  formula?: string;
  compute?: string;
  of?: string;
  per?: string;
  over?: string;
  silence?: string;
  take?: string;
  each?: string;
  zone?: string;
}

/** Adds the options that say how a datastream is computed. */
export function withComputing(command: Command): Command {
  const forms = COMPUTATION_FORMS.filter((form) => form !== 'formula').join(', ');
  return command
    .option('--formula <formula>', 'computed by a CEL formula over other keys, such as "level / 10"')
    .option('--compute <form>', `computed from one other datastream: ${forms}`)
    .option('--of <key>', 'the datastream it is computed from')
    .option('--per <time>', 'time that an integral or a rate is counted in, such as 1h')
    .option('--over <time>', 'width of a moving window, such as 10min')
    .option('--take <what>', 'mean, min or max of a moving window')
    .option('--each <hour|day>', 'a total starts again with each hour or day')
    .option('--zone <zone>', 'time zone of those hours and days; yours otherwise')
    .option('--silence <time>', 'over a longer silence nothing is computed');
}

/** What the options say of a computation, or null where they say nothing. */
export function readComputation(options: ComputingOptions): Computation | null {
  const { formula, compute, of, per, over, silence, take, each, zone } = options;
  if (formula === undefined && compute === undefined) return null;
  if (formula !== undefined && compute !== undefined)
    throw new UsageError('Give --formula or --compute, not both.');
  if (compute !== undefined && !(COMPUTATION_FORMS as readonly string[]).includes(compute))
    throw new UsageError(`"${compute}" is not a way to compute; there are: ${COMPUTATION_FORMS.join(', ')}.`);
  if (compute !== undefined && of === undefined)
    throw new UsageError(`--compute ${compute} needs --of, the datastream it is computed from.`);
  if (each !== undefined && !(RESTARTS as readonly string[]).includes(each))
    throw new UsageError(`--each is one of ${RESTARTS.join(', ')}.`);
  const seconds = (text: string): number => readDuration(text) / 1000;
  return {
    form: compute ?? 'formula',
    ...(formula !== undefined && { formula }),
    ...(of !== undefined && { of }),
    ...(per !== undefined && { perS: seconds(per) }),
    ...(over !== undefined && { overS: seconds(over) }),
    ...(silence !== undefined && { gapS: seconds(silence) }),
    ...(take !== undefined && { take }),
    ...(each !== undefined && {
      restarts: each,
      zone: zone ?? Intl.DateTimeFormat().resolvedOptions().timeZone,
    }),
  } as unknown as Computation;
}

/** stream recompute */
export function recomputeCommand(stream: Command): void {
  stream
    .command('recompute <kind> <key>')
    .description('work a computed datastream out anew over history, with progress')
    .option('--device <device>', 'of one device only')
    .addHelpText('after', '\nExample:\n  peatmoor stream recompute "Rain meter" rain_hour')
    .action(async (name: string, key: string, options: { device?: string }, command: Command) => {
      const client = signedInClient();
      const { id } = await kindByName(client, name);
      const params = { kind: id, stream: key };
      await client.call('recompute', { params, body: options });
      const jobs = await follow(client, params, options.device);
      print(command, jobs, (list) =>
        table(
          ['device', 'state', 'days', 'note'],
          list.map(({ device, state, days, note }) => [device, state, days, note]),
          'No device of this kind.',
        ),
      );
      if (jobs.some(({ state }) => state === 'failed')) process.exitCode = 1;
    });
}

/** Waits until nothing is under way any more, and shows how far it has come. */
async function follow(
  client: Client,
  params: { kind: number; stream: string },
  device: string | undefined,
): Promise<Recomputation[]> {
  for (;;) {
    const all = await client.call('listRecomputations', { params });
    const jobs = device === undefined ? all : all.filter((one) => one.device === device);
    const open = jobs.filter(({ state }) => state === 'waiting' || state === 'running');
    if (process.stderr.isTTY) {
      const done = jobs.reduce((sum, one) => sum + one.doneDays, 0);
      const days = jobs.reduce((sum, one) => sum + one.days, 0);
      process.stderr.write(
        `\r${done} of ${days} days, ${open.length} of ${counted(jobs.length, 'device')} to go \u001b[K`,
      );
    }
    if (open.length === 0) {
      if (process.stderr.isTTY) process.stderr.write('\r\u001b[K');
      return jobs;
    }
    await new Promise((resolve) => setTimeout(resolve, 300));
  }
}
