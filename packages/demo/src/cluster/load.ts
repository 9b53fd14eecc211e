import { connectAsync, type MqttClient } from 'mqtt';
import { setTimeout as sleep } from 'node:timers/promises';

/** What one device sent: each value once in the whole run, so that one that is there twice shows. */
export interface Sent {
  device: string;
  /** Values that were acknowledged, with their times where they had one of their own. */
  kept: Map<number, number | null>;
  /** Values whose outcome nobody told. */
  unknown: Set<number>;
}

export interface Load {
  sent: Sent[];
  /** Reports that were refused for now, or found nobody. */
  turnedAway(): number;
  acknowledged(): number;
  /** The longest time in which nothing at all was acknowledged since this was asked before, in ms. */
  longestGap(): number;
  /** For how long nothing has been acknowledged, in ms. */
  stillFor(): number;
  stop(): Promise<void>;
}

interface Place {
  httpPort: number;
  mqttPort: number;
}

const EVERY_MS = 1000;
const PATIENCE_MS = 8000;

/** Devices that report every second through the balancer: half over HTTP without times, half over MQTT with times of their own. */
export function startLoad(devices: readonly { id: string; token: string }[], at: Place): Load {
  let stopped = false;
  let turnedAway = 0;
  let acknowledged = 0;
  let keptAt = performance.now();
  let gapMs = 0;
  const sent = devices.map(({ id }): Sent => ({ device: id, kept: new Map(), unknown: new Set() }));
  const loops = devices.map(({ id, token }, i) =>
    i % 2 === 0 ? overHttp(token, sent[i]!, i) : overMqtt(id, token, sent[i]!, i),
  );
  const keep = (one: Sent, value: number, time: number | null): void => {
    one.kept.set(value, time);
    acknowledged++;
    const now = performance.now();
    gapMs = Math.max(gapMs, now - keptAt);
    keptAt = now;
  };

  async function overHttp(token: string, mine: Sent, place: number): Promise<void> {
    await sleep((place * EVERY_MS) / devices.length);
    for (let value = 1; !stopped; value++) {
      const since = performance.now();
      try {
        const answer = await fetch(`http://127.0.0.1:${at.httpPort}/device/report`, {
          method: 'POST',
          headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
          body: JSON.stringify({ level: value }),
          signal: AbortSignal.timeout(PATIENCE_MS),
        });
        await answer.arrayBuffer();
        if (answer.status === 200) keep(mine, value, null);
        else {
          turnedAway++;
          // 503 of the service says that nothing was kept; one of the balancer says nothing.
          if (answer.status !== 429) mine.unknown.add(value);
        }
      } catch {
        mine.unknown.add(value);
      }
      await sleep(Math.max(0, EVERY_MS - (performance.now() - since)));
    }
  }
  async function overMqtt(id: string, token: string, mine: Sent, place: number): Promise<void> {
    await sleep((place * EVERY_MS) / devices.length);
    let client: MqttClient | null = null;
    let closed: Promise<never> | null = null;
    for (let value = 1; !stopped; value++) {
      const since = performance.now();
      const time = Date.now();
      mine.unknown.add(value);
      try {
        if (client?.connected !== true) {
          client?.end(true);
          client = await connectBoard(at.mqttPort, id, token);
          closed = closing(client);
        }
        const report = JSON.stringify({ at: time, level: value });
        // As a board does: a connection that closes ends the wait at once.
        await within(
          PATIENCE_MS,
          Promise.race([client.publishAsync(`moor/${id}/report`, report, { qos: 1 }), closed!]),
        );
        mine.unknown.delete(value);
        keep(mine, value, time);
      } catch {
        client?.end(true);
        client = null;
        turnedAway++;
        await sleep(200);
      }
      await sleep(Math.max(0, EVERY_MS - (performance.now() - since)));
    }
    client?.end(true);
  }
  return {
    sent,
    turnedAway: () => turnedAway,
    acknowledged: () => acknowledged,
    longestGap() {
      const longest = Math.max(gapMs, performance.now() - keptAt);
      gapMs = 0;
      return longest;
    },
    stillFor: () => performance.now() - keptAt,
    async stop() {
      stopped = true;
      await Promise.all(loops);
    },
  };
}

/** A connection that sends nothing twice by itself. */
export function connectBoard(port: number, id: string, token: string): Promise<MqttClient> {
  return connectAsync(
    `mqtt://127.0.0.1:${port}`,
    {
      username: id,
      password: token,
      reconnectPeriod: 0,
      connectTimeout: 4000,
      keepalive: 5,
      queueQoSZero: false,
    },
    false,
  ).then((client) => client.on('error', () => undefined));
}

/** Fails when a connection closes. */
function closing(client: MqttClient): Promise<never> {
  const closed = new Promise<never>((_resolve, reject) => {
    client.once('close', () => reject(new Error('the connection was closed')));
  });
  closed.catch(() => undefined);
  return closed;
}

export async function within<T>(ms: number, work: Promise<T>): Promise<T> {
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<never>((_resolve, reject) => {
    timer = setTimeout(() => reject(new Error('no answer in time')), ms);
  });
  work.catch(() => undefined);
  return Promise.race([work, late]).finally(() => clearTimeout(timer));
}
