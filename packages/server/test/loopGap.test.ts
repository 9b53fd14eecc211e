import http from 'node:http';
import type { AddressInfo } from 'node:net';
import { Worker } from 'node:worker_threads';
import { setTimeout as sleep } from 'node:timers/promises';
import { isAfterGap, markAfterGap, noteConnection } from '../src/loopGap';

// What came while a process stood still is known for it however busy it is once it goes on. The test process stands still itself.

const stand = (ms: number): void => void Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, ms);

/** Somebody else, who calls after a while whatever this process does. */
const CALLER = `
const http = require('node:http');
const { workerData: { port, afterMs } } = require('node:worker_threads');
setTimeout(() => http.get({ port, agent: false }), afterMs);
`;

it.each([
  ['at once', 0],
  ['busy for longer than it is on its guard', 1300],
])('marks what came while it stood still: it goes on %s', async (_name, busyMs) => {
  const marks: boolean[] = [];
  const server = http.createServer((request, response) => {
    markAfterGap(request);
    marks.push(isAfterGap(request));
    response.end();
  });
  server.on('connection', (socket) => {
    noteConnection(socket);
    // The first that it does when it goes on; what they brought is read after it.
    stand(busyMs);
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  const call = async (afterMs: number): Promise<Worker> => {
    const caller = new Worker(CALLER, { eval: true, workerData: { port, afterMs } });
    await new Promise((resolve) => caller.once('online', resolve));
    return caller;
  };
  try {
    await call(700);
    stand(3000);
    while (marks.length === 0) await sleep(20);
    expect(marks).toEqual([true]);
    // Calm for a while, or on its guard for long enough, it takes what comes.
    busyMs = 0;
    for (let calls = 1; calls < 15 && marks.at(-1) === true; calls++) {
      await sleep(1000);
      await call(0);
      while (marks.length === calls) await sleep(20);
    }
    expect(marks.at(-1)).toBe(false);
  } finally {
    server.closeAllConnections();
    server.close();
  }
});
