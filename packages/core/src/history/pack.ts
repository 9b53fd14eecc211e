import type { Columns } from './series';

const MOST_DECIMALS = 6;
const RAW = 255;

/**
 * Packs ordered readings into bytes, columns apart: count, times as delta of delta in ms, values as deltas of
 * scaled integers where at most six decimals carry them exactly, as doubles otherwise. Made to be deflated.
 * Times must be whole milliseconds within ±2^52.
 */
export function packColumns(columns: Columns): Uint8Array {
  const { times, values } = columns;
  const out = new ByteWriter(16 + times.length * 4);
  out.varint(times.length);
  let previous = 0;
  let delta = 0;
  for (const time of times) {
    const next = time - previous;
    out.signed(next - delta);
    delta = next;
    previous = time;
  }
  const decimals = exactDecimals(values);
  out.byte(decimals);
  if (decimals === RAW) for (const value of values) out.double(value);
  else {
    const scale = 10 ** decimals;
    let last = 0;
    for (const value of values) {
      const scaled = Math.round(value * scale);
      out.signed(scaled - last);
      last = scaled;
    }
  }
  return out.bytes();
}

/** Unpacks what packColumns made. Throws RangeError on bytes that are cut short. */
export function unpackColumns(bytes: Uint8Array): Columns {
  const input = new ByteReader(bytes);
  const count = input.varint();
  if (count > bytes.length) throw new RangeError('packed readings are damaged: more readings than bytes');
  const times = new Array<number>(count);
  let previous = 0;
  let delta = 0;
  for (let i = 0; i < count; i++) {
    delta += input.signed();
    previous += delta;
    times[i] = previous;
  }
  const decimals = input.byte();
  const values = new Array<number>(count);
  if (decimals === RAW) for (let i = 0; i < count; i++) values[i] = input.double();
  else {
    const scale = 10 ** decimals;
    let scaled = 0;
    for (let i = 0; i < count; i++) {
      scaled += input.signed();
      values[i] = scaled / scale;
    }
  }
  return { times, values };
}

/** The fewest decimals (0 to 6) that carry every value exactly, or RAW where none do. */
function exactDecimals(values: readonly number[]): number {
  let decimals = 0;
  let scale = 1;
  for (const value of values) {
    for (;;) {
      const scaled = Math.round(value * scale);
      if (Math.abs(scaled) < 2 ** 51 && Object.is(scaled / scale, value)) break;
      if (++decimals > MOST_DECIMALS) return RAW;
      scale = 10 ** decimals;
    }
  }
  for (const value of values) {
    const scaled = Math.round(value * scale);
    if (Math.abs(scaled) >= 2 ** 51 || !Object.is(scaled / scale, value)) return RAW;
  }
  return decimals;
}

class ByteWriter {
  #buffer: Uint8Array;
  #view: DataView;
  #length = 0;

  constructor(size: number) {
    this.#buffer = new Uint8Array(size);
    this.#view = new DataView(this.#buffer.buffer);
  }

  byte(value: number): void {
    this.#room(1);
    this.#buffer[this.#length++] = value;
  }

  varint(value: number): void {
    this.#room(10);
    let rest = value;
    while (rest >= 128) {
      this.#buffer[this.#length++] = (rest % 128) | 128;
      rest = Math.floor(rest / 128);
    }
    this.#buffer[this.#length++] = rest;
  }

  signed(value: number): void {
    this.varint(value < 0 ? -value * 2 - 1 : value * 2);
  }

  double(value: number): void {
    this.#room(8);
    this.#view.setFloat64(this.#length, value, true);
    this.#length += 8;
  }

  bytes(): Uint8Array {
    return this.#buffer.subarray(0, this.#length);
  }

  #room(more: number): void {
    if (this.#length + more <= this.#buffer.length) return;
    const wider = new Uint8Array(Math.max(this.#buffer.length * 2, this.#length + more));
    wider.set(this.#buffer);
    this.#buffer = wider;
    this.#view = new DataView(wider.buffer);
  }
}

class ByteReader {
  #bytes: Uint8Array;
  #view: DataView;
  #position = 0;

  constructor(bytes: Uint8Array) {
    this.#bytes = bytes;
    this.#view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  }

  byte(): number {
    if (this.#position >= this.#bytes.length) throw new RangeError('packed readings are cut short');
    return this.#bytes[this.#position++]!;
  }

  varint(): number {
    let value = 0;
    let factor = 1;
    for (let i = 0; i < 9; i++) {
      const byte = this.byte();
      value += (byte & 127) * factor;
      if (byte < 128) return value;
      factor *= 128;
    }
    throw new RangeError('packed readings are damaged');
  }

  signed(): number {
    const value = this.varint();
    return value % 2 === 0 ? value / 2 : -(value + 1) / 2;
  }

  double(): number {
    if (this.#position + 8 > this.#bytes.length) throw new RangeError('packed readings are cut short');
    const value = this.#view.getFloat64(this.#position, true);
    this.#position += 8;
    return value;
  }
}
