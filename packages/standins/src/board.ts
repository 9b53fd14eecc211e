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
  client.on('message', (topic, payload) => {
    const text = payload.toString();
    if (topic === `${root}refused`) return say(`refused: ${text}`);
    const name = topic.slice(`${root}wanted/`.length);
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
      await client.endAsync(true);
    },
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
