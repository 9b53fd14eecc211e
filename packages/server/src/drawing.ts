import fs from 'node:fs';
import { createRequire } from 'node:module';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { Worker } from 'node:worker_threads';

/** The bundled font, as a drawing needs it; made by the build. */
const FONT = ['../assets', '../../server/assets']
  .map((folder) => path.resolve(path.dirname(fileURLToPath(import.meta.url)), folder, 'atkinson.ttf'))
  .find((file) => fs.existsSync(file));

/** What the thread does: one drawing after the other, with nothing of the service in reach. */
const THREAD = `
const { parentPort, workerData } = require('node:worker_threads');
const { Resvg } = require(workerData.library);
parentPort.on('message', ({ id, svg, options }) => {
  try {
    parentPort.postMessage({ id, png: new Resvg(svg, options).render().asPng() });
  } catch (error) {
    parentPort.postMessage({ id, error: String(error) });
  }
});`;

interface Waiting {
  resolve(png: Buffer): void;
  reject(error: Error): void;
}

let thread: Worker | null = null;
let last = 0;
const waiting = new Map<number, Waiting>();

function threadNow(): Worker {
  if (thread !== null) return thread;
  const library = createRequire(import.meta.url).resolve('@resvg/resvg-js');
  const made = new Worker(THREAD, { eval: true, workerData: { library } });
  const gone = (error: Error): void => {
    if (thread === made) thread = null;
    for (const { reject } of waiting.values()) reject(error);
    waiting.clear();
  };
  made.on('message', ({ id, png, error }: { id: number; png?: Uint8Array; error?: string }) => {
    const one = waiting.get(id);
    waiting.delete(id);
    if (waiting.size === 0) made.unref();
    if (png !== undefined) one?.resolve(Buffer.from(png.buffer, png.byteOffset, png.byteLength));
    else one?.reject(new Error(error));
  });
  made.on('error', gone);
  made.on('exit', () => gone(new Error('what draws pictures ended')));
  made.unref();
  return (thread = made);
}

/** A drawing (SVG) as PNG, with the bundled font, `scale` times as large: made in a thread of its own, one after the other. */
export function renderDrawing(svg: string, scale: number): Promise<Buffer> {
  return new Promise((resolve, reject) => {
    const here = threadNow();
    const id = ++last;
    waiting.set(id, { resolve, reject });
    here.ref();
    here.postMessage({
      id,
      svg,
      options: {
        fitTo: { mode: 'zoom', value: scale },
        font: {
          loadSystemFonts: FONT === undefined,
          ...(FONT !== undefined && { fontFiles: [FONT], defaultFontFamily: 'Atkinson Hyperlegible Next' }),
        },
      },
    });
  });
}
