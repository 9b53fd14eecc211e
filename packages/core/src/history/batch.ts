/** One commit's number readings in columns: series number, time (epoch ms) and value of each. */
export interface Batch {
  series: ArrayLike<number>;
  times: ArrayLike<number>;
  values: ArrayLike<number>;
}

const HEADER_BYTES = 8;
const MAGIC = 0x504d_3032;

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

/** Packs a batch for the journal: header, then times and values as doubles, series as uint32, little-endian. */
export function packBatch({ series, times, values }: Batch): Uint8Array {
  const count = series.length;
  const buffer = new ArrayBuffer(HEADER_BYTES + count * 20);
  const view = new DataView(buffer);
  view.setUint32(0, MAGIC);
  view.setUint32(4, count, true);
  new Float64Array(buffer, HEADER_BYTES, count).set(times);
  new Float64Array(buffer, HEADER_BYTES + count * 8, count).set(values);
  new Uint32Array(buffer, HEADER_BYTES + count * 16, count).set(series);
  return new Uint8Array(buffer);
}

/** Unpacks what packBatch made. Throws RangeError on anything else. */
export function unpackBatch(bytes: Uint8Array): Batch {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < HEADER_BYTES || view.getUint32(0) !== MAGIC) throw new RangeError('not a journal batch');
  const count = view.getUint32(4, true);
  if (bytes.length !== HEADER_BYTES + count * 20) throw new RangeError('a journal batch is cut short');
  const { buffer } = Uint8Array.from(bytes);
  return {
    times: new Float64Array(buffer, HEADER_BYTES, count),
    values: new Float64Array(buffer, HEADER_BYTES + count * 8, count),
    series: new Uint32Array(buffer, HEADER_BYTES + count * 16, count),
  };
}
