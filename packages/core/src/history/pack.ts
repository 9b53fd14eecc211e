import { ByteReader, ByteWriter } from './bytes';
import { HOUR_MS, type Rollup } from './rollup';
import type { Columns } from './series';

const MOST_DECIMALS = 6;
/** Quarters of a millisecond and finer parts, and the bytes of no readings: their count and a form of values. */
const QUARTERS = 4;
const FINEST = 1024;
const EMPTY_BYTES = 2;
/** How a column of values is written, where the number is not a count of decimals. */
const DOUBLES = 255;
const SINGLES = 254;

/**
 * Packs ordered readings into bytes, columns apart: count, times as delta of delta in ms, then the values.
 * Made to be deflated. Times are whole or quarter milliseconds within ±2^50, or 1024ths of one within ±2^42.
 */
export function packColumns({ times, values }: Columns): Uint8Array {
  const out = new ByteWriter(16 + times.length * 4);
  const isWhole = times.every(Number.isInteger);
  // No readings, and then something: the times that follow are quarters.
  if (!isWhole) out.varint(0);
  if (isWhole || times.every((at) => Number.isInteger(at * QUARTERS))) {
    out.varint(times.length);
    writeTimes(out, isWhole ? times : times.map((at) => at * QUARTERS));
  } else {
    // Said twice: whole milliseconds, and then their parts, which are mostly the same again and again.
    out.varint(0);
    out.varint(times.length);
    writeTimes(out, times.map(Math.floor));
    let last = 0;
    for (const at of times) {
      const part = Math.round((at - Math.floor(at)) * FINEST);
      out.signed(part - last);
      last = part;
    }
  }
  writeValues(out, values);
  return out.bytes();
}

/** Unpacks what packColumns made. Throws RangeError on bytes that are cut short. */
export function unpackColumns(bytes: Uint8Array): Columns {
  const input = new ByteReader(bytes);
  let count = readCount(input, bytes);
  const inParts = count === 0 && bytes.length > EMPTY_BYTES;
  if (inParts) count = readCount(input, bytes);
  const isFine = inParts && count === 0;
  if (isFine) count = readCount(input, bytes);
  const times = readTimes(input, count);
  if (isFine) addParts(input, times);
  else if (inParts) for (let i = 0; i < count; i++) times[i]! /= QUARTERS;
  return { times, values: readValues(input, count) };
}

function addParts(input: ByteReader, times: number[]): void {
  let part = 0;
  for (let i = 0; i < times.length; i++) {
    part += input.signed();
    times[i]! += part / FINEST;
  }
}

/** Packs rollups of one span, in order of time, column by column; from an hour on with their spread. Made to be deflated. */
export function packRollups(rollups: readonly Rollup[], spanMs: number): Uint8Array {
  const out = new ByteWriter(16 + rollups.length * 12);
  out.varint(rollups.length);
  writeTimes(
    out,
    rollups.map(({ at }) => at / spanMs),
  );
  for (const { count } of rollups) out.varint(count);
  for (const name of VALUE_COLUMNS)
    writeValues(
      out,
      rollups.map((one) => one[name]),
    );
  if (spanMs >= HOUR_MS)
    writeValues(
      out,
      rollups.map(({ spread }) => spread),
    );
  return out.bytes();
}

/**
 * Unpacks what packRollups made with the same span; the spread is NaN where it was not kept (below an hour, or packed
 * before it was). Throws RangeError on bytes that are cut short.
 */
export function unpackRollups(bytes: Uint8Array, spanMs: number): Rollup[] {
  const input = new ByteReader(bytes);
  const count = readCount(input, bytes);
  const times = readTimes(input, count);
  const counts = times.map(() => input.varint());
  const [min, max, sum, first, last] = VALUE_COLUMNS.map(() => readValues(input, count));
  const spread = input.ended ? null : readValues(input, count);
  return times.map((at, i) => ({
    at: at * spanMs,
    count: counts[i]!,
    min: min![i]!,
    max: max![i]!,
    sum: sum![i]!,
    first: first![i]!,
    last: last![i]!,
    spread: spread?.[i] ?? Number.NaN,
  }));
}

const VALUE_COLUMNS = ['min', 'max', 'sum', 'first', 'last'] as const;

function readCount(input: ByteReader, bytes: Uint8Array): number {
  const count = input.varint();
  if (count > bytes.length) throw new RangeError('packed readings are damaged: more readings than bytes');
  return count;
}

function writeTimes(out: ByteWriter, times: readonly number[]): void {
  let previous = 0;
  let delta = 0;
  for (const time of times) {
    const next = time - previous;
    out.signed(next - delta);
    delta = next;
    previous = time;
  }
}

function readTimes(input: ByteReader, count: number): number[] {
  const times = new Array<number>(count);
  let previous = 0;
  let delta = 0;
  for (let i = 0; i < count; i++) {
    delta += input.signed();
    previous += delta;
    times[i] = previous;
  }
  return times;
}

/**
 * A negative zero may come back as zero. Values as deltas of scaled integers where at most six decimals carry them exactly; else as single-precision
 * floats where those do (what most boards compute in), else as doubles, each XORed with the one before.
 */
function writeValues(out: ByteWriter, values: readonly number[]): void {
  const decimals = exactDecimals(values);
  if (decimals !== null) {
    out.byte(decimals);
    const scale = 10 ** decimals;
    let last = 0;
    for (const value of values) {
      const scaled = Math.round(value * scale);
      out.signed(scaled - last);
      last = scaled;
    }
    return;
  }
  const single = values.every((value) => Object.is(Math.fround(value), value));
  out.byte(single ? SINGLES : DOUBLES);
  writePlanes(out, single ? new Float32Array(values) : new Float64Array(values));
}

function readValues(input: ByteReader, count: number): number[] {
  const form = input.byte();
  if (form === SINGLES) return readPlanes(input, new Float32Array(count));
  if (form === DOUBLES) return readPlanes(input, new Float64Array(count));
  if (form > MOST_DECIMALS) throw new RangeError('packed readings are damaged: an unknown form of values');
  const values = new Array<number>(count);
  const scale = 10 ** form;
  let scaled = 0;
  for (let i = 0; i < count; i++) {
    scaled += input.signed();
    values[i] = scaled / scale;
  }
  return values;
}

/** Floats byte by byte: first the highest byte of all, then the next; like bytes beside each other deflate well. */
function writePlanes(out: ByteWriter, floats: Float32Array | Float64Array): void {
  const width = floats.BYTES_PER_ELEMENT;
  const bytes = new Uint8Array(floats.buffer);
  for (let plane = width - 1; plane >= 0; plane--)
    for (let i = plane; i < bytes.length; i += width)
      out.byte(i < width ? bytes[i]! : bytes[i]! ^ bytes[i - width]!);
}

function readPlanes(input: ByteReader, floats: Float32Array | Float64Array): number[] {
  const width = floats.BYTES_PER_ELEMENT;
  const bytes = new Uint8Array(floats.buffer);
  for (let plane = width - 1; plane >= 0; plane--)
    for (let i = plane; i < bytes.length; i += width)
      bytes[i] = i < width ? input.byte() : input.byte() ^ bytes[i - width]!;
  return Array.from(floats);
}

/** The fewest decimals (0 to 6) that carry every value exactly, or null where none do. */
function exactDecimals(values: readonly number[]): number | null {
  let decimals = 0;
  let scale = 1;
  for (const value of values) {
    for (;;) {
      const scaled = Math.round(value * scale);
      if (Math.abs(scaled) < 2 ** 51 && Object.is(scaled / scale, value)) break;
      if (++decimals > MOST_DECIMALS) return null;
      scale = 10 ** decimals;
    }
  }
  for (const value of values) {
    const scaled = Math.round(value * scale);
    if (Math.abs(scaled) >= 2 ** 51 || !Object.is(scaled / scale, value)) return null;
  }
  return decimals;
}
