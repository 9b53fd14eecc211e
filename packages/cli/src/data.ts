import { counted, showBytes } from '@peatmoor/core';
import { createWriteStream } from 'node:fs';
import fs from 'node:fs';
import path from 'node:path';
import { Readable, Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { Command } from 'commander';
import { EXPORT_FORMATS, exportPath, importFile, readProblem, type ExportFormat } from '@peatmoor/contract';
import { done, print, readDuration, table } from './output';
import { signedIn, signedInClient, UsageError, withWord } from './settings';
import { importZip, isZip, LARGEST_FILE } from './zipFile';

/** export, import: taking readings away and bringing them in. */
export function dataCommands(program: Command): void {
  program
    .command('export <device>')
    .description(
      'take all readings of a device away: CSV, JSON, SenML, a sheet in local time; places as GeoJSON or GPX; with images as a ZIP',
    )
    .option('--format <format>', `one of ${EXPORT_FORMATS.join(', ')}`, 'csv')
    .option('--streams <keys>', 'only these datastreams, with commas between')
    .option('--last <time>', 'only so far back, such as 7d')
    .option('--zone <zone>', 'time zone of a sheet, such as Europe/Dublin; yours otherwise')
    .option('--out <file>', 'into this file instead of standard output')
    .option(
      '--parts',
      'as many files as it needs, each such as one report may hold: out-001.senml, out-002.senml …',
    )
    .addHelpText(
      'after',
      '\nExamples:\n  peatmoor export dipwell-north --out north.csv\n  peatmoor export dipwell-north --format sheet --last 30d --out north-sheet.csv',
    )
    .action(
      async (
        device: string,
        options: {
          format: string;
          streams?: string;
          last?: string;
          zone?: string;
          out?: string;
          parts?: true;
        },
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
        const get = async (path: string): Promise<Response> => {
          const response = await withWord(
            fetch(url + path, { headers: { authorization: `Bearer ${key}` } }),
          ).catch((error: Error) => {
            throw new Error(
              `No answer from ${url}${error.cause instanceof Error ? ` (${error.cause.message})` : ''}. Is it running, and is the address right?`,
            );
          });
          if (!response.ok) throw new Error((await readProblem(response)).detail);
          return response;
        };
        if (options.parts) {
          if (options.out === undefined)
            throw new UsageError('Parts are files: say their name with --out, such as --out north.senml.');
          const files = await writeParts(get, `${address}&most=10000`, options.out);
          done(command, { files }, `Saved ${counted(files.length, 'part')}: ${files.join(', ')}.`);
          return;
        }
        const response = await get(address);
        const leftOut = response.headers.get('peatmoor-left-out');
        if (leftOut !== null)
          process.stderr.write(`Left out, as they are images: ${leftOut.replaceAll(',', ', ')}.\n`);
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
    .description(
      'take readings from a table with a header row and a column that says when, or from an export in any form but GeoJSON and GPX; safe to repeat',
    )
    .option(
      '--zone <zone>',
      'time zone of clocks that name none, such as Europe/Dublin; that of the workspace otherwise',
    )
    .option('--try', 'only look: say what would be taken and refused, and store nothing')
    .addHelpText(
      'after',
      '\nExamples:\n  peatmoor import dipwell-north old-logger.csv --try\n  peatmoor import dipwell-north old-logger.csv',
    )
    .action(
      async (device: string, file: string, options: { try?: boolean; zone?: string }, command: Command) => {
        if (!fs.existsSync(file)) throw new UsageError(`There is no file "${file}".`);
        const { size } = fs.statSync(file);
        if (size === 0)
          throw new UsageError(
            `"${file}" is empty. It needs a header row, such as at,water_level, and a row for each time.`,
          );
        if (size > LARGEST_FILE)
          throw new UsageError(
            `"${file}" has ${showBytes(size)}; ${showBytes(LARGEST_FILE)} are read at once at most. Divide it, each part with the header row.`,
          );
        const { isTTY } = process.stderr;
        const total = await (isZip(file) ? importZip : importFile)(
          signedInClient(),
          device,
          fs.readFileSync(file),
          { try: options.try ?? false, ...(options.zone !== undefined && { zone: options.zone }) },
          (share, { rows }) => {
            if (isTTY) process.stderr.write(`\r${Math.round(share * 100)} %, ${counted(rows, 'row')} `);
          },
        );
        if (isTTY) process.stderr.write('\r\u001b[K');
        print(command, total, ({ rows, accepted, refused, errors, notes }) =>
          [
            ...notes,
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
      },
    );
}

/** Fetches an export part by part into numbered files; gives their names. */
async function writeParts(
  get: (path: string) => Promise<Response>,
  first: string,
  out: string,
): Promise<string[]> {
  const { dir, name, ext } = path.parse(out);
  const files: string[] = [];
  for (let next: string | undefined = first; next !== undefined;) {
    const response: Response = await get(next);
    const file = path.join(dir, `${name}-${String(files.length + 1).padStart(3, '0')}${ext}`);
    fs.writeFileSync(file, await response.text());
    files.push(file);
    next = /<([^>]+)>; rel="next"/.exec(response.headers.get('link') ?? '')?.[1];
  }
  return files;
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
