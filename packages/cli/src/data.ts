import { counted, showBytes } from '@peatmoor/core';
import { createReadStream, createWriteStream } from 'node:fs';
import fs from 'node:fs';
import readline from 'node:readline';
import { Readable, Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { Command } from 'commander';
import {
  EXPORT_FORMATS,
  exportPath,
  MOST_IMPORT_LETTERS,
  readProblem,
  type Client,
  type ExportFormat,
  type Imported,
} from '@peatmoor/contract';
import { done, print, readDuration, table } from './output';
import { signedIn, signedInClient, UsageError, withWord } from './settings';

/** Lines of a file that one import call carries at the most. */
const LINES_A_PART = 2000;

/** export, import: taking readings away and bringing them in. */
export function dataCommands(program: Command): void {
  program
    .command('export <device>')
    .description('take all readings of a device away, as CSV, JSON, SenML or a sheet in local time')
    .option('--format <format>', `one of ${EXPORT_FORMATS.join(', ')}`, 'csv')
    .option('--streams <keys>', 'only these datastreams, with commas between')
    .option('--last <time>', 'only so far back, such as 7d')
    .option('--zone <zone>', 'time zone of a sheet, such as Europe/Dublin; yours otherwise')
    .option('--out <file>', 'into this file instead of standard output')
    .addHelpText(
      'after',
      '\nExamples:\n  peatmoor export dipwell-north --out north.csv\n  peatmoor export dipwell-north --format sheet --last 30d --out north-sheet.csv',
    )
    .action(
      async (
        device: string,
        options: { format: string; streams?: string; last?: string; zone?: string; out?: string },
        command: Command,
      ) => {
        if (!(EXPORT_FORMATS as readonly string[]).includes(options.format))
          throw new UsageError(
            `"${options.format}" is not a format; there are: ${EXPORT_FORMATS.join(', ')}.`,
          );
        const { url, key } = signedIn();
        const address = exportPath(device, {
          format: options.format as ExportFormat,
          zone: options.zone ?? Intl.DateTimeFormat().resolvedOptions().timeZone,
          ...(options.streams !== undefined && { streams: options.streams }),
          ...(options.last !== undefined && { from: Date.now() - readDuration(options.last) }),
        });
        const response = await withWord(
          fetch(url + address, { headers: { authorization: `Bearer ${key}` } }),
        ).catch((error: Error) => {
          throw new Error(
            `No answer from ${url}${error.cause instanceof Error ? ` (${error.cause.message})` : ''}. Is it running, and is the address right?`,
          );
        });
        if (!response.ok) throw new Error((await readProblem(response)).detail);
        const body = Readable.fromWeb(response.body as never);
        if (options.out === undefined) await pipeline(body, process.stdout, { end: false });
        else {
          await pipeline(body, countBytes(), createWriteStream(options.out));
          const { size } = fs.statSync(options.out);
          done(command, { file: options.out, bytes: size }, `Saved ${showBytes(size)} to ${options.out}.`);
        }
      },
    );
  program
    .command('import <device> <file>')
    .description('take readings from a CSV file with a header row and a column "at"; safe to repeat')
    .option('--try', 'only look: say what would be taken and refused, and store nothing')
    .addHelpText(
      'after',
      '\nExamples:\n  peatmoor import dipwell-north old-logger.csv --try\n  peatmoor import dipwell-north old-logger.csv',
    )
    .action(async (device: string, file: string, options: { try?: boolean }, command: Command) => {
      if (!fs.existsSync(file)) throw new UsageError(`There is no file "${file}".`);
      const total = await importFile(signedInClient(), device, file, options.try ?? false);
      print(command, total, ({ rows, accepted, refused, errors }) =>
        [
          `${counted(rows, 'row')}: ${options.try ? `${counted(accepted, 'value')} would be` : counted(accepted, 'value is', 'values are')} taken, ${refused} refused.`,
          ...(errors.length === 0
            ? []
            : [
                '',
                table(
                  ['row', 'name', 'reason', 'hint'],
                  errors.map(({ row, name, reason, hint }) => [row, name, reason, hint]),
                  '',
                ),
                ...(refused > errors.length ? [`… and ${refused - errors.length} more`] : []),
              ]),
        ].join('\n'),
      );
      if (total.accepted === 0) process.exitCode = 1;
    });
}

/** Shows on a terminal how much has come. */
function countBytes(): Transform {
  let bytes = 0;
  let shownAt = Date.now();
  return new Transform({
    transform(chunk: Buffer, _encoding, next) {
      bytes += chunk.length;
      if (process.stderr.isTTY && Date.now() - shownAt > 1000) {
        shownAt = Date.now();
        process.stderr.write(`\r\u001b[K${showBytes(bytes)} …`);
      }
      next(null, chunk);
    },
    flush(next) {
      if (process.stderr.isTTY) process.stderr.write('\r\u001b[K');
      next();
    },
  });
}

/** Sends a file part by part, each with its header row, and shows how far it has come. */
async function importFile(client: Client, device: string, file: string, only: boolean): Promise<Imported> {
  const { size } = fs.statSync(file);
  const total: Imported = { rows: 0, accepted: 0, refused: 0, errors: [] };
  let header: string | null = null;
  let lines: string[] = [];
  let letters = 0;
  let firstRow = 2;
  let read = 0;
  const send = async (): Promise<void> => {
    if (lines.length === 0) return;
    const csv = `${header}\n${lines.join('\n')}\n`;
    const part = await client.call('importRows', { params: { device }, body: { csv, firstRow, try: only } });
    total.rows += part.rows;
    total.accepted += part.accepted;
    total.refused += part.refused;
    total.errors.push(...part.errors.slice(0, 100 - total.errors.length));
    firstRow += lines.length;
    lines = [];
    letters = 0;
    if (process.stderr.isTTY)
      process.stderr.write(
        `\r${Math.round((read / Math.max(1, size)) * 100)} %, ${counted(total.rows, 'row')} `,
      );
  };
  for await (const line of readline.createInterface({ input: createReadStream(file), crlfDelay: Infinity })) {
    read += Buffer.byteLength(line) + 1;
    if (header === null) {
      header = line;
      continue;
    }
    lines.push(line);
    letters += line.length + 1;
    if (lines.length >= LINES_A_PART || letters > MOST_IMPORT_LETTERS / 2) await send();
  }
  await send();
  if (process.stderr.isTTY) process.stderr.write('\r\u001b[K');
  return total;
}
