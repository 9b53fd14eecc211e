// The prompt of a board with MicroPython, in a thread of its own: what is typed comes in, what it sends goes out.
import { parentPort, workerData } from 'node:worker_threads';
import { loadMicroPython } from '@micropython/micropython-webassembly-pyscript/micropython.mjs';

const board = await loadMicroPython({
  linebuffer: false,
  heapsize: 8 * 1024 * 1024,
  stdout: (bytes) => parentPort.postMessage({ sent: Buffer.from(bytes).toString('latin1') }),
});
board.FS.chdir('/');
for (const name of ['tmp', 'home', 'dev', 'proc', 'lib'])
  try {
    board.FS.rmdir(`/${name}`);
  } catch {
    // One that is in use stays.
  }
for (const [name, text] of Object.entries(workerData.files)) board.FS.writeFile(`/${name}`, text);
board.replInit();
let raw = false;
parentPort.on('message', ({ typed, file, count }) => {
  if (file !== undefined) {
    let text = null;
    try {
      text = Buffer.from(board.FS.readFile(`/${file}`)).toString('utf8');
    } catch {
      // There is none.
    }
    parentPort.postMessage({ count, text });
    return;
  }
  for (const letter of typed) {
    if (letter === '\x01') raw = true;
    if (letter === '\x02') raw = false;
    board.replProcessChar(letter.charCodeAt(0));
    // On a board this starts main.py.
    if (letter === '\x04' && !raw)
      parentPort.postMessage({ sent: 'MPY: soft reboot\r\nStarting as the board\r\n' });
  }
});
