import type { Location } from '../readings/types';

/** One commit's number readings in columns: series number, time (epoch ms) and value of each. */
export interface Batch {
  series: ArrayLike<number>;
  times: ArrayLike<number>;
  values: ArrayLike<number>;
}

const HEADER_BYTES = 8;
const MAGIC = 0x504d_3032;
/** The form of the first version: series ahead of times and values, no facts. */
const FIRST_MAGIC = 0x504d_3031;

/** Gathers readings in columns that grow; no object a reading. */
export class BatchBuilder {
  #series: Uint32Array<ArrayBuffer>;
  #times: Float64Array<ArrayBuffer>;
  #values: Float64Array<ArrayBuffer>;
  #length = 0;

  /** `expected`: how many readings are likely to come. */
  constructor(expected = 64) {
    this.#series = new Uint32Array(expected);
    this.#times = new Float64Array(expected);
    this.#values = new Float64Array(expected);
  }

  get length(): number {
    return this.#length;
  }

  add(series: number, at: number, value: number): void {
    const i = this.#length++;
    if (i === this.#series.length) this.#grow();
    this.#series[i] = series;
    this.#times[i] = at;
    this.#values[i] = value;
  }

  /** What was gathered, as views: valid until more is added. */
  batch(): Batch {
    return {
      series: this.#series.subarray(0, this.#length),
      times: this.#times.subarray(0, this.#length),
      values: this.#values.subarray(0, this.#length),
    };
  }

  #grow(): void {
    const size = Math.max(64, this.#series.length * 2);
    const wider = <A extends { set(from: A): void }>(made: A, from: A): A => (made.set(from), made);
    this.#series = wider(new Uint32Array(size), this.#series);
    this.#times = wider(new Float64Array(size), this.#times);
    this.#values = wider(new Float64Array(size), this.#values);
  }
}

/** What the journal keeps beside readings, for those who read it: `device` is the row of a device, `at` epoch ms. */
export type Fact =
  | { kind: 'raised' | 'cleared'; device: number; at: number; key: string; text: string }
  | { kind: 'online' | 'offline' | 'first-seen'; device: number; at: number }
  /** A reading that is no number; images are told of by their table only. */
  | { kind: 'told'; series: number; at: number; value: string | Location }
  /** What is usual in each hour of the day, worked out of the past. */
  | { kind: 'usual'; series: number; at: number; hours: (readonly [median: number, spread: number] | null)[] }
  /** The service is there again, after it was away since `from`. */
  | { kind: 'began'; at: number; from: number }
  | { kind: 'refused'; device: number; at: number; count: number }
  | { kind: 'applied'; device: number; at: number; command: number }
  /** What must follow a command was measured, or not in its time; `key` is the control's. */
  | {
      kind: 'confirmed' | 'not-confirmed';
      device: number;
      at: number;
      command: number;
      key: string;
      text: string;
    }
  /** A person closed an event, or changed or deleted a rule: what it had opened ends. */
  | { kind: 'event-closed'; event: number; at: number; by?: string; remark?: string }
  | { kind: 'rule-changed'; rule: number; at: number };

/** One commit: number readings in columns, and facts. */
export interface Commit {
  batch: Batch;
  facts: readonly Fact[];
}

/** Packs a commit for the journal: header, then times and values as doubles, series as uint32, little-endian; then the facts as JSON. */
export function packBatch({ series, times, values }: Batch, facts: readonly Fact[] = []): Uint8Array {
  const count = series.length;
  const tail = facts.length === 0 ? null : encoder.encode(JSON.stringify(facts));
  const readings = HEADER_BYTES + count * 20;
  const buffer = new ArrayBuffer(readings + (tail?.length ?? 0));
  const view = new DataView(buffer);
  view.setUint32(0, MAGIC);
  view.setUint32(4, count, true);
  new Float64Array(buffer, HEADER_BYTES, count).set(times);
  new Float64Array(buffer, HEADER_BYTES + count * 8, count).set(values);
  new Uint32Array(buffer, HEADER_BYTES + count * 16, count).set(series);
  if (tail !== null) new Uint8Array(buffer, readings).set(tail);
  return new Uint8Array(buffer);
}

/** Unpacks what packBatch made, of any version. Throws RangeError on anything else. */
export function unpackBatch(bytes: Uint8Array): Commit {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const magic = bytes.length < HEADER_BYTES ? 0 : view.getUint32(0);
  if (magic !== MAGIC && magic !== FIRST_MAGIC) throw new RangeError('not a journal batch');
  const count = view.getUint32(4, true);
  const readings = HEADER_BYTES + count * 20;
  if (bytes.length < readings) throw new RangeError('a journal batch is cut short');
  if (magic === FIRST_MAGIC) return { batch: readFirst(view, count), facts: [] };
  const { buffer } = Uint8Array.from(bytes.subarray(0, readings));
  return {
    batch: {
      times: new Float64Array(buffer, HEADER_BYTES, count),
      values: new Float64Array(buffer, HEADER_BYTES + count * 8, count),
      series: new Uint32Array(buffer, HEADER_BYTES + count * 16, count),
    },
    facts: bytes.length === readings ? [] : readFacts(bytes.subarray(readings)),
  };
}

function readFirst(view: DataView, count: number): Batch {
  const times = HEADER_BYTES + count * 4;
  const values = times + count * 8;
  const places = Array.from({ length: count }, (_, i) => i);
  return {
    series: places.map((i) => view.getUint32(HEADER_BYTES + i * 4, true)),
    times: places.map((i) => view.getFloat64(times + i * 8, true)),
    values: places.map((i) => view.getFloat64(values + i * 8, true)),
  };
}

function readFacts(bytes: Uint8Array): Fact[] {
  try {
    const facts: unknown = JSON.parse(decoder.decode(bytes));
    if (Array.isArray(facts)) return facts as Fact[];
  } catch {
    // Said below.
  }
  throw new RangeError('the facts of a journal batch are damaged');
}

const encoder = new TextEncoder();
const decoder = new TextDecoder();
