// Runs a MicroPython program in a thread of its own: it blocks as on a board, and asks the thread that started it for all that
// a board has (by messages one way, and by memory that both share the other).
import fs from 'node:fs';
import path from 'node:path';
import { parentPort, workerData } from 'node:worker_threads';
import { loadMicroPython } from '@micropython/micropython-webassembly-pyscript/micropython.mjs';

const { shared, files, standIns } = workerData;
const flag = new Int32Array(shared, 0, 2);
const bytes = new Uint8Array(shared, 8);
const rest = new Int32Array(new SharedArrayBuffer(4));
const ask = (what, text) => {
  Atomics.store(flag, 0, 0);
  parentPort.postMessage({ what, facts: JSON.parse(text) });
  Atomics.wait(flag, 0, 0);
  return new TextDecoder().decode(bytes.slice(0, flag[1]));
};
const board = await loadMicroPython({
  linebuffer: true,
  heapsize: 8 * 1024 * 1024,
  stdout: (line) => parentPort.postMessage({ printed: line }),
});
board.registerJsModule('board', {
  ask,
  sleep: (ms) => void Atomics.wait(rest, 0, 0, ms),
  ticks: () => Math.round(performance.now()),
  now: () => String(Date.now()),
});
const put = (from, to) => {
  for (const name of fs.readdirSync(from)) {
    const place = path.join(from, name);
    if (fs.statSync(place).isDirectory()) {
      board.FS.mkdir(`${to}/${name}`);
      put(place, `${to}/${name}`);
    } else if (name.endsWith('.py')) board.FS.writeFile(`${to}/${name}`, fs.readFileSync(place, 'utf8'));
  }
};
put(standIns, '');
for (const [name, text] of Object.entries(files)) board.FS.writeFile(`/${name}`, text);
board.FS.chdir('/');
try {
  board.runPython(files['main.py']);
  parentPort.postMessage({ ended: null });
} catch (error) {
  parentPort.postMessage({ ended: String(error.message ?? error) });
}
