/** One commit's readings in columns: series number, time (epoch ms) and value of each. */
export interface Batch {
  series: number[];
  times: number[];
  values: number[];
}

const HEADER_BYTES = 8;
const MAGIC = 0x504d_3031;

/** Packs a batch for the journal: header, then series as uint32, times and values as doubles. Speed before size. */
export function packBatch(batch: Batch): Uint8Array {
  const count = batch.series.length;
  const bytes = new Uint8Array(HEADER_BYTES + count * 20);
  const view = new DataView(bytes.buffer);
  view.setUint32(0, MAGIC);
  view.setUint32(4, count, true);
  let position = HEADER_BYTES;
  for (let i = 0; i < count; i++, position += 4) view.setUint32(position, batch.series[i]!, true);
  for (let i = 0; i < count; i++, position += 8) view.setFloat64(position, batch.times[i]!, true);
  for (let i = 0; i < count; i++, position += 8) view.setFloat64(position, batch.values[i]!, true);
  return bytes;
}

/** Unpacks what packBatch made. Throws RangeError on anything else. */
export function unpackBatch(bytes: Uint8Array): Batch {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < HEADER_BYTES || view.getUint32(0) !== MAGIC) throw new RangeError('not a journal batch');
  const count = view.getUint32(4, true);
  if (bytes.length !== HEADER_BYTES + count * 20) throw new RangeError('a journal batch is cut short');
  const batch: Batch = { series: new Array(count), times: new Array(count), values: new Array(count) };
  let position = HEADER_BYTES;
  for (let i = 0; i < count; i++, position += 4) batch.series[i] = view.getUint32(position, true);
  for (let i = 0; i < count; i++, position += 8) batch.times[i] = view.getFloat64(position, true);
  for (let i = 0; i < count; i++, position += 8) batch.values[i] = view.getFloat64(position, true);
  return batch;
}
