import { Command } from 'commander';
import {
  CALENDAR_STEPS,
  sheetCell,
  isNumeric,
  showDuration,
  showSum,
  showMean,
  showReading,
  showValue,
  type CalendarStep,
  type Datastream,
} from '@peatmoor/core';
import type { Client, HistoryLine, OtherReadings } from '@peatmoor/contract';
import { print, readCount, readDuration, say, showTime, table } from './output';
import { signedInClient, UsageError } from './settings';

const HEIGHT = 12;
/** Texts, locations or pictures that are asked for at once at the most. */
const MOST_OTHERS = 5000;

/** history <device> <stream>: table, --csv, --json, --chart */
export function historyCommand(program: Command): void {
  program
    .command('history <device> <stream>')
    .description('look back: newest readings as a table, or all as CSV, JSON or a chart')
    .option('--last <time>', 'how far back, such as 24h or 7d', '24h')
    .option('--rows <count>', 'rows of the table', '20')
    .option('--csv', 'all readings as CSV')
    .option('--chart', 'a chart in the terminal')
    .option('--step <step>', `steps of the calendar: ${CALENDAR_STEPS.join(', ')}`)
    .option('--zone <zone>', 'time zone of the steps; yours otherwise')
    .option('--statistics', 'count, least, greatest, mean, deviation, longest gap and sum')
    .addHelpText(
      'after',
      '\nExamples:\n  peatmoor history dipwell-north water_level --last 24h --chart\n  peatmoor history dipwell-north water_level --last 7d --csv > level.csv\n  peatmoor history dipwell-north water_level --last 30d --step day',
    )
    .action(
      async (
        device: string,
        name: string,
        options: {
          last: string;
          rows: string;
          csv?: boolean;
          chart?: boolean;
          step?: string;
          zone?: string;
          statistics?: boolean;
        },
        command: Command,
      ) => {
        const json = command.optsWithGlobals<{ json?: boolean }>().json ?? false;
        if ([json, options.csv, options.chart].filter(Boolean).length > 1)
          throw new UsageError('Give one of --json, --csv and --chart.');
        const client = signedInClient();
        const one = await client.call('readDevice', { params: { device } });
        const { streams } = await client.call('readKind', { params: { kind: one.kindId } });
        const to = Date.now();
        const from = to - readDuration(options.last);
        const found = streams.find(({ key }) => key === name);
        if (found !== undefined && !isNumeric(found))
          return others(client, device, found, { ...options, from, to }, command);
        if (options.step !== undefined)
          return bySteps(client, device, found ?? null, { ...options, name, from, to }, command);
        if (options.statistics) {
          const facts = await client.call('statistics', {
            params: { device },
            query: { stream: name, from, to },
          });
          const show = (value: number | null): string | null =>
            value === null ? null : found === undefined ? String(value) : showReading(found, value);
          const mean = (value: number | null): string | null =>
            value === null ? null : found === undefined ? String(value) : showMean(found, value);
          const columns = ['count', 'min', 'max', 'mean', 'deviation', 'longestGapMs', 'sum'] as const;
          if (options.csv)
            return say([columns.join(','), columns.map((one) => facts[one] ?? '').join(',')].join('\n'));
          return print(command, facts, (one) =>
            table(
              ['count', 'least', 'greatest', 'mean', 'deviation', 'longest gap', 'sum'],
              [
                [
                  one.count,
                  show(one.min),
                  show(one.max),
                  mean(one.mean),
                  mean(one.deviation),
                  one.longestGapMs === null ? null : showDuration(one.longestGapMs),
                  showTotal(found, one.sum),
                ],
              ],
              '',
            ),
          );
        }
        const columns = Math.max(20, Math.min(100, (process.stdout.columns ?? 80) - 12));
        const history = await client.call('history', {
          params: { device },
          query: { streams: name, from, to, buckets: options.chart ? columns : 0 },
        });
        const line = history.lines[0]!;
        const stream = streams.find(({ key }) => key === line.key)!;
        if (json) return say(JSON.stringify(history, null, 2));
        if (options.csv)
          return say(
            [
              `at,${line.key}`,
              ...line.times.map((at, i) => `${new Date(at).toISOString()},${line.values[i]}`),
            ].join('\n'),
          );
        if (options.chart) return say(chart(stream, line, from, to, columns));
        const start = Math.max(0, line.times.length - readCount(options.rows, '--rows'));
        const rows = line.times
          .slice(start)
          .map((at, i) => [showTime(at), showReading(stream, line.values[start + i]!)]);
        say(
          table(['measured', stream.title], rows, `No readings of ${line.key} in the last ${options.last}.`),
        );
        if (start > 0)
          say(
            `… the newest ${rows.length} of ${line.times.length}${line.cut ? ' or more' : ''}; --csv gives all.`,
          );
      },
    );
}

/** Texts, locations and pictures, the newest last. */
async function others(
  client: Client,
  device: string,
  stream: Datastream,
  options: {
    rows: string;
    last: string;
    csv?: boolean;
    chart?: boolean;
    step?: string;
    statistics?: boolean;
    from: number;
    to: number;
  },
  command: Command,
): Promise<void> {
  if (options.chart || options.step !== undefined || options.statistics)
    throw new UsageError(
      `${stream.key} holds no numbers: it has a table, --csv and --json, but no --chart, --step or --statistics.`,
    );
  const { from, to } = options;
  const ask = (limit: number, before = to): Promise<OtherReadings> =>
    client.call('listOthers', {
      params: { device },
      query: { stream: stream.key, from, to: before, limit },
    });
  if (options.csv) {
    const rows: string[] = [];
    for (let before: number | null = to; before !== null;) {
      const { readings, cut }: OtherReadings = await ask(MOST_OTHERS, before);
      for (const { at, value } of readings)
        rows.push(`${new Date(at).toISOString()},${sheetCell(showValue(stream, value))}`);
      before = cut ? readings.at(-1)!.at : null;
    }
    return say([`at,${stream.key}`, ...rows.reverse()].join('\n'));
  }
  const history = await ask(readCount(options.rows, '--rows'));
  const readings = history.readings.toReversed();
  print(command, history, () =>
    table(
      ['measured', stream.title],
      readings.map(({ at, value }) => [showTime(at), showReading(stream, value)]),
      `No readings of ${stream.key} in the last ${options.last}.`,
    ),
  );
  if (history.cut && !command.optsWithGlobals<{ json?: boolean }>().json)
    say(`… the newest ${readings.length}; --rows gives more, --csv all.`);
}

/** What was measured in each step of the calendar; empty steps are there, with a dash. */
async function bySteps(
  client: Client,
  device: string,
  stream: Datastream | null,
  options: { name: string; step?: string; zone?: string; csv?: boolean; from: number; to: number },
  command: Command,
): Promise<void> {
  if (!(CALENDAR_STEPS as readonly string[]).includes(options.step!))
    throw new UsageError(`"${options.step}" is not a step; there are: ${CALENDAR_STEPS.join(', ')}.`);
  const zone = options.zone ?? Intl.DateTimeFormat().resolvedOptions().timeZone;
  const { name, from, to } = options;
  const query = { stream: name, from, to, step: options.step as CalendarStep, zone };
  const calendar = await client.call('calendar', { params: { device }, query });
  const show = (value: number | null): string | null =>
    value === null ? null : stream === null ? String(value) : showReading(stream, value);
  if (options.csv)
    return say(
      [
        'from,count,min,mean,max,last,sum',
        ...calendar.buckets.map(({ from: start, count, min, mean, max, last, sum }) =>
          [new Date(start).toISOString(), count, ...[min, mean, max, last, sum].map((one) => one ?? '')].join(
            ',',
          ),
        ),
      ].join('\n'),
    );
  print(command, calendar, ({ buckets }) =>
    table(
      [options.step!, 'count', 'least', 'mean', 'greatest', 'last', 'sum'],
      buckets.map(({ from: start, count, min, mean, max, last, sum }) => [
        new Date(start)
          .toLocaleString('sv-SE', { timeZone: zone })
          .slice(0, options.step === 'hour' ? 16 : 10),
        count,
        show(min),
        mean === null ? null : stream === null ? String(mean) : showMean(stream, mean),
        show(max),
        show(last),
        showTotal(stream, sum),
      ]),
      'Nothing in this time.',
    ),
  );
}

function showTotal(stream: Datastream | null | undefined, sum: number | null): string | null {
  return sum === null ? null : stream ? showSum(stream, sum) : String(sum);
}

/** A chart of bucket means, with the span between least and greatest shaded. */
function chart(stream: Datastream, line: HistoryLine, from: number, to: number, columns: number): string {
  if (line.times.length === 0) return `No readings of ${line.key} in this time.`;
  const low = Math.min(...line.min);
  const high = Math.max(...line.max);
  // A line that does not move has one label.
  const flat = high === low;
  const span = high - low || 1;
  const rowOf = (value: number): number => Math.round(((value - low) / span) * (HEIGHT - 1));
  const grid = Array.from({ length: HEIGHT }, () => Array<string>(columns).fill(' '));
  const columnOf = (at: number): number =>
    Math.min(columns - 1, Math.max(0, Math.floor(((at - from) / (to - from)) * columns)));
  line.times.forEach((at, i) => {
    // A bucket wider than a column is drawn over all of its columns.
    for (let column = columnOf(at); column <= columnOf(Math.min(to, at + line.spanMs) - 1); column++) {
      for (let row = rowOf(line.min[i]!); row <= rowOf(line.max[i]!); row++) grid[row]![column] = '·';
      grid[rowOf(line.values[i]!)]![column] = '•';
    }
  });
  const label = (row: number): string =>
    flat
      ? row === 0
        ? showReading(stream, low)
        : ''
      : row === 0
        ? showReading(stream, low)
        : row === HEIGHT - 1
          ? showReading(stream, high)
          : row === HEIGHT >> 1
            ? showReading(stream, low + span / 2)
            : '';
  const width = Math.max(...[0, HEIGHT >> 1, HEIGHT - 1].map((row) => label(row).length));
  const rows = grid
    .map((cells, row) => `${label(row).padStart(width)} │${cells.join('').trimEnd()}`)
    .reverse();
  const left = showTime(from);
  const right = showTime(to);
  return [
    stream.title,
    ...rows,
    `${' '.repeat(width)} └${'─'.repeat(columns)}`,
    `${' '.repeat(width + 2)}${left}${' '.repeat(Math.max(1, columns - left.length - right.length))}${right}`,
  ].join('\n');
}
