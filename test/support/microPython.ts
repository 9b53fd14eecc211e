import net from 'node:net';
import path from 'node:path';
import { Worker } from 'node:worker_threads';
import mqtt, { type MqttClient } from 'mqtt';
import type { StarterFile } from '@peatmoor/core';

/** A board that runs a MicroPython program, with what is around it. */
export interface Board {
  printed: () => string;
  /** True while the Wi-Fi is there. */
  wifi: boolean;
  /** What the parts on its pins say; see test/support/board/machine.py. */
  says: Record<string, unknown>;
  /** What phones send to the board's own page, each in parts. */
  phones: string[][];
  /** All that the program asked of the board, by what it was. */
  asked: Record<string, unknown[][]>;
  /** The error that ended the program, null where it ended by itself, undefined while it runs. */
  ended: string | null | undefined;
  stop(): Promise<void>;
}

const ROOM = 64 * 1024;

/** Starts a program as on a board: the real MicroPython, compiled for this computer, with stand-ins of pins, network and library. */
export function startBoard(files: readonly StarterFile[], wifi = true): Board {
  const shared = new SharedArrayBuffer(8 + ROOM);
  const flag = new Int32Array(shared, 0, 2);
  const worker = new Worker(path.join(__dirname, 'board/worker.mjs'), {
    workerData: {
      shared,
      standIns: path.join(__dirname, 'board'),
      files: Object.fromEntries(files.map(({ path: name, text }) => [name, text])),
    },
  });
  let output = '';
  let kept = '';
  let link: MqttClient | null = null;
  const messages: [string, string][] = [];
  const board: Board = {
    printed: () => output,
    wifi,
    says: {},
    phones: [],
    asked: {},
    ended: undefined,
    async stop() {
      await worker.terminate();
      link?.end(true);
    },
  };
  let closed: Promise<unknown> = Promise.resolve();
  const lost = { error: 'the connection is gone' };
  const answers: Record<string, (...facts: never[]) => unknown> = {
    says: () => board.says,
    wifi: () => board.wifi,
    accept: () => board.phones.shift() ?? null,
    keep: (text: string) => void (kept = text),
    kept: () => kept,
    mqttEnd: () => void link?.end(true),
    mqttPing: () => (link?.connected && board.wifi ? true : lost),
    mqttMessages: () => (link?.connected && board.wifi ? messages.splice(0) : lost),
    mqttConnect: async (id: string, host: string, port: number, user: string, password: string) => {
      link?.end(true);
      if (!board.wifi) return lost;
      const made = mqtt.connect({
        host,
        port,
        clientId: id,
        username: user,
        password,
        reconnectPeriod: 0,
        connectTimeout: 4000,
      });
      link = made;
      closed = new Promise((resolve) => made.once('close', () => resolve(lost)));
      made.on('message', (topic, payload) => messages.push([topic, payload.toString()]));
      return new Promise((resolve) => {
        made.once('connect', () => resolve(true));
        made.once('error', (error) => resolve({ error: error.message }));
        made.once('close', () => resolve(lost));
      });
    },
    mqttSubscribe: async (topic: string, qos: 0 | 1) => {
      await link?.subscribeAsync(topic, { qos });
      return true;
    },
    mqttPublish: async (topic: string, text: string, qos: 0 | 1) => {
      if (!link?.connected || !board.wifi) return lost;
      // A publish whose connection ends is never told of.
      const published = link.publishAsync(topic, text, { qos }).then(
        () => true,
        () => lost,
      );
      return Promise.race([published, closed]);
    },
    tcp: (host: string, port: number, text: string) =>
      new Promise((resolve) => {
        if (!board.wifi) return resolve(null);
        const socket = net.connect(port, host, () => socket.write(text));
        let said = '';
        socket.on('data', (part: Buffer) => (said += part.toString('latin1')));
        socket.once('close', () => resolve(said === '' ? null : said));
        socket.on('error', () => resolve(null));
      }),
  };
  worker.on(
    'message',
    (message: { what?: string; facts?: never[]; printed?: string; ended?: string | null }) => {
      if (message.printed !== undefined) output += `${message.printed}\n`;
      if (message.ended !== undefined) board.ended = message.ended;
      if (message.what === undefined) return;
      const { what, facts = [] } = message;
      (board.asked[what] ??= []).push(facts);
      void Promise.resolve(answers[what]?.(...facts)).then((answer) => {
        const said = new TextEncoder().encode(JSON.stringify(answer ?? null));
        new Uint8Array(shared, 8).set(said.slice(0, ROOM));
        flag[1] = said.length;
        Atomics.store(flag, 0, 1);
        Atomics.notify(flag, 0);
      });
    },
  );
  worker.on('error', (error) => (board.ended = String(error)));
  return board;
}
