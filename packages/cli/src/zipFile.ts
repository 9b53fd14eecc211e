import fs from 'node:fs';
import { unzipSync, type UnzipFileFilter } from 'fflate';
import { importFile, type Client, type Imported } from '@peatmoor/contract';

/** Largest file that is read: what is read stands in memory, once as bytes and once as text. */
export const LARGEST_FILE = 400 * 2 ** 20;
const READINGS = 'readings.csv';
/** An image: its datastream, and the time at which it was taken. */
const IMAGE = /^([a-z][a-z0-9_]{0,39})\/(\d{4}-\d\d-\d\dT\d\d-\d\d-\d\d\.\d{3}Z)\.(?:jpg|png|webp)$/;
/** An image is 512 KB at the most. */
const LARGEST_IMAGE = 512 * 1024;
/** Images that stand in memory at once. */
const IMAGES_AT_ONCE = 50;

export const isZip = (file: string): boolean => {
  const start = Buffer.alloc(4);
  const handle = fs.openSync(file, 'r');
  try {
    fs.readSync(handle, start, 0, 4, 0);
  } finally {
    fs.closeSync(handle);
  }
  return start.toString('latin1') === 'PK\u0003\u0004';
};

function filesOf(bytes: Uint8Array, filter: UnzipFileFilter): Record<string, Uint8Array> {
  try {
    return unzipSync(bytes, { filter });
  } catch (error) {
    throw new Error(`The file is not a whole ZIP (${(error as Error).message}). Take it away again.`);
  }
}

/** Brings back what an export as a ZIP holds: the readings, and then the images, each at its time. */
export async function importZip(
  client: Client,
  device: string,
  bytes: Uint8Array,
  more: { try: boolean; zone?: string },
  onProgress: (share: number, total: Imported) => void,
): Promise<Imported> {
  const names: string[] = [];
  const [readings] = Object.values(
    filesOf(bytes, ({ name, originalSize }) => {
      if (IMAGE.test(name)) names.push(name);
      return name === READINGS && originalSize <= LARGEST_FILE;
    }),
  );
  const total: Imported =
    readings === undefined || !readings.includes(10, readings.indexOf(10) + 1)
      ? { rows: 0, accepted: 0, refused: 0, errors: [], notes: [] }
      : await importFile(client, device, readings, more, (share, sofar) => onProgress(share / 2, sofar));
  let some: Record<string, Uint8Array> = {};
  for (const [i, name] of names.entries()) {
    const [, key, time] = IMAGE.exec(name)!;
    total.rows++;
    if (more.try) {
      total.accepted++;
      continue;
    }
    if (i % IMAGES_AT_ONCE === 0) {
      const wanted = new Set(names.slice(i, i + IMAGES_AT_ONCE));
      some = filesOf(bytes, (one) => wanted.has(one.name) && one.originalSize <= LARGEST_IMAGE);
    }
    const found = some[name];
    const at = time!.replace(/T(\d\d)-(\d\d)-/, 'T$1:$2:');
    const { accepted, refused } =
      found === undefined
        ? {
            accepted: 0,
            refused: [{ name: key!, reason: 'too-large', hint: `${name} is larger than 512 KB.` }],
          }
        : await client.call('reportByHand', {
            params: { device },
            body: { values: { at, [key!]: Buffer.from(found).toString('base64') } },
          });
    total.accepted += accepted;
    total.refused += refused.length;
    for (const one of refused) if (total.errors.length < 100) total.errors.push({ row: total.rows, ...one });
    onProgress(0.5 + (i + 1) / names.length / 2, total);
  }
  return total;
}
