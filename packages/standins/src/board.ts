import { KEEP_NAME } from '@peatmoor/core';
import { connectAsync, type MqttClient } from 'mqtt';
import type { BoardModel } from './quillmere/boards';

/** Where a simulated board reports, and as whom. */
export interface BoardOptions {
  deviceId: string;
  token: string;
  mqttUrl: string;
  httpUrl: string;
  /** Seconds between reports until the service names another interval. */
  intervalS: number;
  model: BoardModel;
  /** For a gateway: what is behind it, by the text it calls it. */
  behind?: Record<string, BoardModel>;
  say?: (text: string) => void;
}

export interface Board {
  stop(): Promise<void>;
}

/** A board that speaks MQTT: reports with QoS 1, obeys wanted values and answers that it applied them. */
export async function startMqttBoard({
  deviceId,
  token,
  mqttUrl,
  intervalS,
  model,
  behind = {},
  say = () => undefined,
}: BoardOptions): Promise<Board> {
  const root = `moor/${deviceId}/`;
  const client: MqttClient = await connectAsync(
    mqttUrl,
    { username: deviceId, password: token, clientId: `board-${deviceId}`, reconnectPeriod: 1000 },
    true,
  );
  let number = 0;
  let timer: NodeJS.Timeout;
  const report = (): void => {
    const message = { n: ++number, ...model.read(Date.now()) };
    client.publish(`${root}report`, JSON.stringify(message), { qos: 1 }, (error) =>
      say(error ? `#${number} did not arrive: ${error.message}` : `#${number} arrived`),
    );
    for (const [serial, one] of Object.entries(behind))
      client.publish(`${root}for/${serial}/report`, JSON.stringify(one.read(Date.now())), { qos: 1 });
  };
  const every = (seconds: number): void => {
    clearInterval(timer);
    timer = setInterval(report, seconds * 1000);
  };
  const keeper = createKeeper((name, text) => {
    if (!model.apply(name, Number(text))) return;
    client.publish(`${root}applied/${name}`, text, { qos: 1 });
    report();
  });
  client.on('packetreceive', keeper.heard);
  client.on('message', (topic, payload) => {
    const text = payload.toString();
    if (topic === `${root}refused`) return say(`refused: ${text}`);
    const name = topic.slice(`${root}wanted/`.length);
    if (name === KEEP_NAME) {
      keeper.take(text);
      return void client.publish(`${root}about`, JSON.stringify({ keeps: text }), { qos: 1 });
    }
    if (!keeper.takes(name, text)) return say(`${name} rests`);
    const value = Number(text);
    const done = name === 'interval' ? (every(value), true) : model.apply(name, value);
    if (!done) return;
    client.publish(`${root}applied/${name}`, text, { qos: 1 });
    if (name !== 'interval') report();
  });
  await client.subscribeAsync([`${root}wanted/#`, `${root}refused`], { qos: 1 });
  every(intervalS);
  report();
  return {
    async stop() {
      clearInterval(timer);
      keeper.stop();
      await client.endAsync(true);
    },
  };
}

const LOOK_MS = 500;

/** What a board keeps by itself: how long a control may run, and what is done once nothing was heard for so long. */
function createKeeper(make: (name: string, text: string) => void) {
  let lines: string[][] = [];
  let heardAt = performance.now();
  const isAlone = new Set<string>();
  const runs = new Map<string, { since: number; restsUntil: number }>();
  const look = (): void => {
    const now = performance.now();
    for (const [name = '', sort, seconds, value = '', rest, then = ''] of lines) {
      const ms = Number(seconds) * 1000;
      const run = runs.get(name);
      if (sort === 'most' && run !== undefined && run.restsUntil === 0 && now - run.since >= ms) {
        run.restsUntil = now + Number(rest) * 1000;
        make(name, then);
      }
      if (sort === 'alone' && now - heardAt >= ms && !isAlone.has(name)) {
        isAlone.add(name);
        make(name, value);
      }
    }
  };
  const timer = setInterval(look, LOOK_MS);
  return {
    heard(): void {
      heardAt = performance.now();
      isAlone.clear();
    },
    take: (text: string): void => void (lines = text.split('\n').map((line) => line.split('\t'))),
    /** False while it rests; what is taken runs from now on. */
    takes(name: string, text: string): boolean {
      const [, , , value, rest] = lines.find(([one, sort]) => one === name && sort === 'most') ?? [];
      if (value === undefined) return true;
      const run = runs.get(name);
      const now = performance.now();
      if (text === value) {
        if (run !== undefined && run.restsUntil > now) return false;
        if (run === undefined || run.restsUntil > 0) runs.set(name, { since: now, restsUntil: 0 });
      } else if (run?.restsUntil === 0) run.restsUntil = now + Number(rest) * 1000;
      return true;
    },
    stop: (): void => clearInterval(timer),
  };
}

/** A board that speaks HTTP: posts reports and asks for wanted values with each. */
export function startHttpBoard({
  deviceId,
  token,
  httpUrl,
  intervalS,
  model,
  say = () => undefined,
}: BoardOptions): Board {
  const headers = { authorization: `Bearer ${token}`, 'content-type': 'application/json' };
  let number = 0;
  let every = intervalS;
  let stopped = false;
  let timer: NodeJS.Timeout;
  const turn = async (): Promise<void> => {
    const message = { n: ++number, ...model.read(Date.now()) };
    try {
      const answer = await fetch(`${httpUrl}/device/report`, {
        method: 'POST',
        headers,
        body: JSON.stringify(message),
      });
      say(`#${number} ${answer.status} ${await answer.text()}`);
      const picture = model.picture?.(Date.now());
      if (picture !== undefined)
        await fetch(`${httpUrl}/device/report?name=${picture.name}`, {
          method: 'POST',
          headers: { ...headers, 'content-type': 'image/png' },
          body: picture.bytes as Uint8Array<ArrayBuffer>,
        });
      const wanted = (await (await fetch(`${httpUrl}/device/wanted`, { headers })).json()) as Record<
        string,
        number
      >;
      if (wanted.interval !== undefined && wanted.interval >= 1 && wanted.interval !== every) {
        every = wanted.interval;
        const body = JSON.stringify({ interval: every });
        await fetch(`${httpUrl}/device/applied`, { method: 'POST', headers, body });
      }
    } catch (error) {
      say(`#${number} of ${deviceId} did not arrive: ${(error as Error).message}`);
    }
    if (!stopped) timer = setTimeout(() => void turn(), every * 1000);
  };
  timer = setTimeout(() => void turn(), 50);
  return {
    async stop() {
      stopped = true;
      clearTimeout(timer);
    },
  };
}
