import type { Response } from 'express';
import { strToU8, Zip, ZipDeflate, ZipPassThrough } from 'fflate';
import type { DeviceStream } from '../registry';
import type { Store } from '../store/store';

/** Images that are read at once: half a megabyte each at the most. */
const IMAGES_AT_ONCE = 5;
const ENDINGS: Readonly<Record<string, string>> = {
  'image/jpeg': 'jpg',
  'image/png': 'png',
  'image/webp': 'webp',
};

interface Image {
  at: number;
  type: string;
  body: Uint8Array;
}

/** A file of text, or a folder of images, each by the time at which it was taken. */
export type Zipped =
  { name: string; text: AsyncIterable<string> } | { folder: string; images: AsyncIterable<Image> };

/** Resolves once more can be written, or nobody reads any more. */
const takesMore = (response: Response): Promise<void> =>
  new Promise((resolve) => {
    const end = (): void => {
      for (const event of ['drain', 'close']) response.removeListener(event, end);
      resolve();
    };
    for (const event of ['drain', 'close']) response.on(event, end);
  });

/** Sends files as one ZIP (PKWARE APPNOTE 6.3, without its 64-bit form: 4 GB at the most) while they are read. */
export async function sendZip(response: Response, files: readonly Zipped[]): Promise<void> {
  let failed: Error | null = null;
  const zip = new Zip((error, chunk) => {
    if (error !== null) failed = error;
    else if (!response.destroyed) response.write(chunk);
  });
  const flow = async (): Promise<void> => {
    if (failed !== null) throw failed;
    if (!response.destroyed && response.writableNeedDrain) await takesMore(response);
  };
  for (const one of files) {
    if ('text' in one) {
      const file = new ZipDeflate(one.name, { level: 6 });
      zip.add(file);
      for await (const text of one.text) {
        file.push(strToU8(text));
        await flow();
        if (response.destroyed) return;
      }
      file.push(new Uint8Array(0), true);
      continue;
    }
    for await (const { at, type, body } of one.images) {
      const file = new ZipPassThrough(`${one.folder}/${imageName(at)}.${ENDINGS[type] ?? 'bin'}`);
      file.mtime = Math.max(at, Date.UTC(1981, 0));
      zip.add(file);
      file.push(body, true);
      await flow();
      if (response.destroyed) return;
    }
  }
  zip.end();
  await flow();
  response.end();
}

/** A time as the name of a file that every system can hold: 2026-11-20T10-15-00.250Z. */
const imageName = (at: number): string => new Date(at).toISOString().replaceAll(':', '-');

/** Images of a datastream in order of time, some at a time. */
export async function* imagesOf(
  store: Store,
  { seriesId }: Pick<DeviceStream, 'seriesId'>,
  from: number,
  to: number,
): AsyncGenerator<Image> {
  for (let start = from; ;) {
    const rows = await store.withConnection(
      async (connection) =>
        (await connection.execute(
          'SELECT at, type, body FROM images WHERE seriesId = ? AND at >= ? AND at < ? ORDER BY at LIMIT ?',
          [seriesId, start, to, IMAGES_AT_ONCE],
        )) as (Omit<Image, 'body'> & { body: Buffer })[],
    );
    for (const { at, type, body } of rows) yield { at: Number(at), type, body: new Uint8Array(body) };
    if (rows.length < IMAGES_AT_ONCE) return;
    // Times lie half a millisecond apart at the least.
    start = Number(rows.at(-1)!.at) + 0.25;
  }
}
