import { isMeasured, isNumeric, isReportable, type Datastream } from '../readings/types';

/** Ways in whose cost on the line is told beforehand. */
export type LineWay = 'mqtt' | 'mqttPlain' | 'http' | 'https' | 'batches';

export const LINE_WAYS: Readonly<Record<LineWay, string>> = {
  mqtt: 'MQTT, one JSON message',
  mqttPlain: 'MQTT, a message for each value',
  http: 'HTTP, a JSON message and a connection each time',
  https: 'HTTPS, the same over TLS',
  batches: 'HTTP, ten rows in one message',
};

/** What a kind costs, for one device. */
export interface Estimate {
  /** Bytes a day on the line, both ways, with the headers of TCP and IP. */
  lineBytesADay: Record<LineWay, number>;
  /** Bytes a year in the database, at the least and at the most; null where pictures make it anybody's guess. */
  storedBytesAYear: { least: number; most: number };
  readingsADay: number;
}

const DAY_S = 86_400;
/** Header bytes of TCP and IPv4 on each packet (RFC 9293, RFC 791), without options. */
const PACKET = 40;
/** Opening and closing a connection: three packets and four. */
const CONNECTION = 7 * PACKET;
/** A TLS 1.3 handshake with one certificate, about. */
const TLS = 3500;
/** Request line and headers of a report, without the length of its body. */
const HTTP_HEAD = 210;
const HTTP_ANSWER = 190;
const KEEP_ALIVE_S = 30;
const ID_LENGTH = 16;
/** Measured: rollups included, on smooth and on noisy series (docs/performance.md). */
const STORED_NUMBER = { least: 0.9, most: 4 };
const PICTURE = 60_000;
const TEXT = 24;

/** What a device of these datastreams sends and what is stored of it, at one message every so many seconds. */
export function estimateCost(streams: readonly Datastream[], intervalS: number): Estimate {
  const messages = DAY_S / intervalS;
  const sent = streams.filter(isReportable);
  const pictures = sent.filter(({ type }) => type === 'image').length;
  const plain = sent.filter(({ type }) => type !== 'image');
  const body = plain.reduce((sum, stream) => sum + stream.key.length + 4 + valueLength(stream), 12);
  const topic = 12 + ID_LENGTH;
  // Each message out, its acknowledgement, and that of TCP.
  const mqttMessage = (topicLength: number, payload: number): number =>
    topicLength + payload + 7 + 4 + 3 * PACKET;
  const pings = (DAY_S / KEEP_ALIVE_S) * (4 + 3 * PACKET);
  const pictureLine = pictures * messages * (PICTURE * 1.04 + HTTP_HEAD + HTTP_ANSWER + CONNECTION);
  const each = HTTP_HEAD + HTTP_ANSWER + CONNECTION + 4 * PACKET;
  const line = (bytes: number): number => Math.round(bytes + pictureLine);
  const numbers = streams.filter((stream) => isNumeric(stream) && isMeasured(stream)).length;
  const others = plain.filter((stream) => !isNumeric(stream)).length;
  const year = 365 * messages;
  const stored = (number: number): number =>
    Math.round(year * (numbers * number + others * (TEXT + 26) + pictures * PICTURE));
  return {
    lineBytesADay: {
      mqtt: line(messages * mqttMessage(topic, body) + pings),
      mqttPlain: line(
        messages *
          plain.reduce(
            (sum, stream) => sum + mqttMessage(topic + stream.key.length + 1, valueLength(stream)),
            0,
          ) +
          pings,
      ),
      http: line(messages * (each + body)),
      https: line(messages * (each + body + TLS)),
      batches: line((messages / 10) * (each + 10 * (body + 22))),
    },
    storedBytesAYear: { least: stored(STORED_NUMBER.least), most: stored(STORED_NUMBER.most) },
    readingsADay: Math.round(messages * (numbers + others + pictures)),
  };
}

/** Letters of a value on the wire, about. */
function valueLength(stream: Datastream): number {
  switch (stream.type) {
    case 'boolean':
      return 4;
    case 'text':
      return TEXT + 2;
    case 'location':
      return 38;
    case 'choice':
      return 2 + Math.max(4, ...stream.choices.map(({ length }) => length));
    case 'colour':
      return 9;
    default: {
      const widest = Math.max(Math.abs(stream.min ?? 0), Math.abs(stream.max ?? 999), 1);
      const digits = Math.floor(Math.log10(widest)) + 1 + ((stream.min ?? 0) < 0 ? 1 : 0);
      return digits + (stream.type === 'integer' ? 0 : 1 + (stream.decimals ?? 2));
    }
  }
}

/** Bytes as people read them: 12 kB, 3.4 MB. */
export function showBytes(bytes: number): string {
  const sizes = ['bytes', 'kB', 'MB', 'GB', 'TB'];
  let size = 0;
  let rest = bytes;
  for (; rest >= 1000 && size < sizes.length - 1; size++) rest /= 1000;
  return `${rest < 10 && size > 0 ? rest.toFixed(1) : Math.round(rest)} ${sizes[size]}`;
}
