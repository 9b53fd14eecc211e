import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Request, Response } from 'express';
import { isNumeric, keptUnitOf, rowsByTime, sentUnitOf, shownSteps, type Columns } from '@peatmoor/core';
import { exportQuerySchema, type ExportFormat } from '@peatmoor/contract';
import { readOthers } from '../history/others';
import { wrongField } from '../problems';
import type { DeviceEntry, DeviceStream } from '../registry';
import { deviceOf, type ApiParts } from './context';
import { writingOf, type Cell, type Writing } from './exportWriting';
import { imagesOf, sendZip } from './exportZip';
import { demand, demandReach, scopeOf } from './scope';
import { callerOf, type UnderWay } from './underWay';

const DAY_MS = 86_400_000;

/** Texts and locations that are read from the records at once. */
const OTHERS_AT_ONCE = 2000;
/** Letters that are written at once. */
const LETTERS_AT_ONCE = 64_000;

/** Streams readings of a device, a day at a time, so that any number of them needs little memory. */
export async function sendExport(
  parts: Pick<ApiParts, 'store' | 'registry' | 'history'> & { underWay: UnderWay },
  request: Request,
  response: Response,
): Promise<void> {
  const query = await exportQuerySchema.validate(request.query, { abortEarly: false });
  const scope = demand(await scopeOf(parts.store, request, keyOf(query.access_token)), 'look');
  const entry = await deviceOf(parts, scope, request.params.device as string);
  demandReach(scope, { method: 'GET', path: request.path }, entry.rowId);
  await parts.underWay.enterFor(response, 'export', callerOf(scope).join(' '));
  // What is to be brought back holds what was measured; a sheet for people what is true.
  const values = query.values ?? (query.format === 'sheet' ? 'right' : 'raw');
  const places = query.format === 'geojson' || query.format === 'gpx';
  const chosen = streamsOf(entry, query.streams).filter(({ type }) => !places || type === 'location');
  if (places && chosen.length === 0)
    throw wrongField('format', `is for locations, and ${entry.name} has none`, 'Take csv, json or sheet.');
  const isRight = values === 'right' && chosen.some(({ calibrations }) => calibrations.length > 0);
  const streams = isRight ? chosen : chosen.map(asSentBy);
  const to = query.to;
  const from = query.days === undefined ? query.from : to - query.days * DAY_MS;
  const { format } = query;
  const zipped = format === 'zip';
  const writing = writingOf(format === 'zip' ? 'csv' : format, entry, streams, query.zone, isRight);
  const images =
    query.streams === '' && !places
      ? entry.streams.filter(({ type, direction }) => type === 'image' && direction !== 'control')
      : [];
  response.setHeader('peatmoor-values', isRight ? 'right' : 'raw');
  if (images.length > 0 && !zipped)
    response.setHeader('peatmoor-left-out', images.map(({ key }) => key).join(','));
  response.setHeader('cache-control', 'no-store');
  response.setHeader(
    'content-disposition',
    `attachment; filename="${entry.id}.${zipped ? 'zip' : writing.ending}"`,
  );
  const rows = rowsOf(parts, streams, from, to);
  if (zipped) {
    response.type('application/zip');
    await sendZip(response, [
      { name: 'readings.csv', text: textOf(writing, rows) },
      ...images.map((stream) => ({ folder: stream.key, images: imagesOf(parts.store, stream, from, to) })),
    ]);
    return;
  }
  response.type(writing.type);
  if (query.most !== undefined) {
    if (!PARTED.has(query.format))
      throw wrongField('most', `is not for ${query.format}`, `Take ${[...PARTED].join(', ')}.`);
    const { text, next } = await partOf(writing, rows, query.most);
    if (next !== null) response.links({ next: nextPath(request, next, to) });
    response.end(text);
    return;
  }
  // No faster than it is read; nothing more is read for whoever has gone.
  await pipeline(Readable.from(textOf(writing, rows), { highWaterMark: 1 }), response).catch(
    (error: NodeJS.ErrnoException) => {
      if (error.code !== 'ERR_STREAM_PREMATURE_CLOSE') throw error;
    },
  );
}

/** Formats of which a part can be taken by itself. */
const PARTED: ReadonlySet<ExportFormat> = new Set(['csv', 'json', 'senml']);
/** Letters of a part at the most: a report takes a megabyte. */
const MOST_PART_LETTERS = 900_000;

async function* textOf(writing: Writing, parts: AsyncIterable<Iterable<Row>>): AsyncGenerator<string> {
  let text = writing.first;
  let isFirst = true;
  for await (const rows of parts)
    for (const { at, values } of rows) {
      text += writing.row(at, values, isFirst);
      isFirst = false;
      if (text.length < LETTERS_AT_ONCE) continue;
      yield text;
      text = '';
    }
  yield text + writing.last;
}

/** The first rows, up to so many values; and the time at which the next part begins, null at the end. */
async function partOf(
  writing: Writing,
  parts: AsyncIterable<Iterable<Row>>,
  most: number,
): Promise<{ text: string; next: number | null }> {
  let text = writing.first;
  let count = 0;
  for await (const rows of parts)
    for (const { at, values } of rows) {
      const more = values.filter((value) => value !== null).length;
      const row = writing.row(at, values, count === 0);
      if (count > 0 && (count + more > most || text.length + row.length > MOST_PART_LETTERS))
        return { text: text + writing.last, next: at };
      text += row;
      count += more;
    }
  return { text: text + writing.last, next: null };
}

/** The address of the same export from a time on; a secret in it is not said again. */
function nextPath(request: Request, from: number, to: number): string {
  const query = new URLSearchParams(request.query as Record<string, string>);
  for (const name of ['access_token', 'days']) query.delete(name);
  query.set('from', String(from));
  query.set('to', String(to));
  return `${request.baseUrl}${request.path}?${query}`;
}

/** The datastream with its values as its device sends them, so that they can be brought back. */
function asSentBy(stream: DeviceStream): DeviceStream {
  const unit = sentUnitOf(stream);
  return {
    ...stream,
    unit,
    calibrations: shownSteps({ unit, keptUnit: keptUnitOf(stream) }, []),
  };
}

interface Row {
  at: number;
  values: Cell[];
}

/** Rows of all datastreams in order of time, each time once; some at a time. */
async function* rowsOf(
  { store, history }: Pick<ApiParts, 'store' | 'history'>,
  streams: readonly DeviceStream[],
  from: number,
  to: number,
): AsyncGenerator<Iterable<Row>> {
  const others = [...streams.entries()].filter(([, stream]) => !isNumeric(stream));
  const numeric = [...streams.entries()].filter(([, stream]) => isNumeric(stream));
  const numbers = history.parts(
    numeric.map(([, stream]) => stream),
    from,
    to,
  );
  // Numbers alone are many, and stand side by side already.
  if (others.length === 0) {
    for await (const columns of numbers) yield rowsByTime(columns);
    return;
  }
  const sources = [
    numeric.length === 0
      ? nothing()
      : placed(
          numbers,
          numeric.map(([place]) => place),
          streams.length,
        ),
    ...others.map(([place, stream]) => alone(othersOf(store, stream, from, to), place, streams.length)),
  ];
  const next = await Promise.all(sources.map((source) => source.next()));
  for (;;) {
    const at = Math.min(...next.map((one) => (one.done ? Infinity : one.value.at)));
    if (at === Infinity) return;
    const values = Array<Cell>(streams.length).fill(null);
    for (const [i, one] of next.entries()) {
      if (one.done || one.value.at !== at) continue;
      for (const [place, value] of one.value.values.entries()) values[place] ??= value;
      next[i] = await sources[i]!.next();
    }
    yield [{ at, values }];
  }
}

async function* nothing(): AsyncGenerator<Row> {
  // A device without numbers.
}

/** Rows of numbers, each value in the place of its datastream among all. */
async function* placed(
  parts: AsyncIterable<Columns[]>,
  places: readonly number[],
  width: number,
): AsyncGenerator<Row> {
  for await (const columns of parts)
    for (const { at, values: found } of rowsByTime(columns)) {
      const values = Array<Cell>(width).fill(null);
      for (const [i, place] of places.entries()) values[place] = found[i]!;
      yield { at, values };
    }
}

/** Readings of one datastream as rows. */
async function* alone(
  readings: AsyncIterable<{ at: number; value: Cell }>,
  place: number,
  width: number,
): AsyncGenerator<Row> {
  for await (const { at, value } of readings) {
    const values = Array<Cell>(width).fill(null);
    values[place] = value;
    yield { at, values };
  }
}

async function* othersOf(
  store: ApiParts['store'],
  stream: DeviceStream,
  from: number,
  to: number,
): AsyncGenerator<{ at: number; value: Cell }> {
  for (let start = from; ;) {
    const rows = await readOthers(store, stream, start, to, OTHERS_AT_ONCE, 'oldest first');
    for (const { at, value } of rows) yield { at, value: value as Cell };
    if (rows.length < OTHERS_AT_ONCE) return;
    // Times lie half a millisecond apart at the least.
    start = rows.at(-1)!.at + 0.25;
  }
}

function keyOf(text: string | undefined): string | undefined {
  return text === undefined || text === '' ? undefined : text;
}

function streamsOf(entry: DeviceEntry, text: string): DeviceStream[] {
  if (text === '')
    return entry.streams.filter(({ type, direction }) => type !== 'image' && direction !== 'control');
  return text.split(',').map((name) => {
    const stream = entry.names.find(name.trim());
    if (stream === undefined || stream.type === 'image')
      throw wrongField(
        'streams',
        `: "${name}" is not a datastream of ${entry.name} that can be exported`,
        stream === undefined ? 'See its kind.' : 'Images come with the format zip, of all datastreams.',
      );
    return stream;
  });
}
