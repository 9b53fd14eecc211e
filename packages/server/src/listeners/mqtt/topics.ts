import {
  decodeByContent,
  decodeJsonReport,
  decodePlain,
  isRefusal,
  MOST_MESSAGE_BYTES,
  refusal,
  type DecodedReport,
  type Refusal,
} from '@peatmoor/core';
import type { ReportAnswer } from '@peatmoor/contract';
import type { MessageFacts } from '../../ingest/message';
import { MQTT_PLAIN, MQTT_REPORT } from '../../ingest/retake';
import type { TakeMore, Verbs } from '../../ingest/verbs';
import type { DeviceEntry } from '../../registry';
import type { PublishFrame } from './frames';

const OPENING_BRACE = 0x7b;

/** What a topic means for a device: which verb, for which name, for itself or for a sub-device. */
export interface Topic {
  verb: 'report' | 'report-one' | 'applied' | 'raise' | 'clear' | 'about' | 'unknown';
  name: string;
  /** A sub-device's ID or serial text; null for the device itself. */
  forDevice: string | null;
  topic: string;
  form: string;
}

/** Reads topics, and calls the verb that is meant. */
export interface Topics {
  read(entry: DeviceEntry, topic: string): Topic;
  /** The same for a frame on the socket; null where it must go the library's way. */
  readFrame(entry: DeviceEntry, frame: { bytes: Buffer; topicStart: number; topicEnd: number }): Topic | null;
  decode(report: Topic, payload: Buffer, receivedMs: number): DecodedReport | Refusal;
  /** The same for a payload that is a part of other bytes. */
  decodeFrame(report: Topic, frame: PublishFrame, receivedMs: number): DecodedReport | Refusal;
  take(
    entry: DeviceEntry,
    report: Topic,
    payload: Buffer,
    facts: MessageFacts,
    more: TakeMore,
  ): Promise<ReportAnswer>;
}

export function createTopics(verbs: Verbs): Topics {
  // A board publishes on few topics, again and again: the newest of each device is remembered as bytes.
  const last = new WeakMap<DeviceEntry, { bytes: Buffer; report: Topic }>();

  const read = (entry: DeviceEntry, topic: string): Topic => {
    const root = `moor/${entry.id}/`;
    const path = topic.startsWith(root) ? topic.slice(root.length).split('/') : [];
    const forDevice = path[0] === 'for' && path.length > 2 ? path[1]! : null;
    const [verb, name, ...more] = forDevice === null ? path : path.slice(2);
    const at = (found: Topic['verb'], form: string): Topic => ({
      verb: found,
      name: name ?? '',
      forDevice,
      topic,
      form,
    });
    if (more.length === 0 && verb === 'report')
      return name === undefined ? at('report', MQTT_REPORT) : at('report-one', `${MQTT_PLAIN}${name}`);
    if (more.length === 0 && verb === 'applied' && name) return at('applied', 'mqtt applied');
    if (more.length === 0 && (verb === 'raise' || verb === 'clear') && name) return at(verb, `mqtt ${verb}`);
    if (verb === 'about' && name === undefined) return at('about', 'mqtt about');
    return at('unknown', 'mqtt');
  };

  const reports: Topics = {
    read,
    readFrame(entry, { bytes, topicStart, topicEnd }) {
      const known = last.get(entry);
      if (known !== undefined && sameBytes(known.bytes, bytes, topicStart, topicEnd)) return known.report;
      const topic = bytes.toString('utf8', topicStart, topicEnd);
      // What is no UTF-8, or has a NUL in it, goes the library's way, which ends the connection.
      if (/[\0\ufffd]/.test(topic)) return null;
      const report = read(entry, topic);
      if (report.forDevice !== null || (report.verb !== 'report' && report.verb !== 'report-one'))
        return null;
      last.set(entry, { bytes: Buffer.from(topic), report });
      return report;
    },
    decode(report, payload, receivedMs) {
      if (payload.length > MOST_MESSAGE_BYTES) return refusal('', 'too-large');
      if (report.verb === 'report') return decodeByContent(payload, receivedMs);
      return decodePlain(report.name, payload.toString('utf8'));
    },
    decodeFrame(report, { bytes, payloadStart, end }, receivedMs) {
      // JSON in a message of usual size needs no view of its bytes.
      if (
        report.verb === 'report' &&
        bytes[payloadStart] === OPENING_BRACE &&
        end - payloadStart < MOST_MESSAGE_BYTES
      )
        return decodeJsonReport(bytes.toString('utf8', payloadStart, end), receivedMs);
      return reports.decode(report, bytes.subarray(payloadStart, end), receivedMs);
    },
    async take(entry, report, payload, facts, more) {
      const whole = (refused: Refusal): ReportAnswer => ({ accepted: 0, refused: [refused] });
      if (report.verb === 'report' || report.verb === 'report-one') {
        const decoded = reports.decode(report, payload, facts.receivedAt);
        // A publish that is acknowledged is taken as soon as there is a time for it, rather than refused.
        return verbs.report.take(entry, decoded, facts, report.forDevice, more);
      }
      const target = await verbs.speaksFor(entry, report.forDevice);
      if (isRefusal(target)) return verbs.report.take(entry, target, facts);
      if (payload.length > MOST_MESSAGE_BYTES) return whole(refusal('', 'too-large'));
      const text = payload.toString('utf8');
      switch (report.verb) {
        case 'applied':
          return verbs.appliedOne(target, report.name, payload.length === 0 ? null : text, facts);
        case 'raise':
        case 'clear':
          return verbs.say(target, report.verb, report.name, text, facts);
        case 'about':
          return verbs.about(target, text, facts);
        default:
          return verbs.report.take(target, wrongTopic(entry, report.topic), facts);
      }
    },
  };
  return reports;
}

function sameBytes(known: Buffer, bytes: Buffer, start: number, end: number): boolean {
  if (known.length !== end - start) return false;
  for (let i = 0; i < known.length; i++) if (known[i] !== bytes[start + i]) return false;
  return true;
}

function wrongTopic(entry: DeviceEntry, topic: string): Refusal {
  const root = `moor/${entry.id}/`;
  return refusal(
    '',
    'wrong-topic',
    `Nothing is taken on "${topic.slice(0, 80)}". This device reports on ${root}report, answers on ${root}applied/<name>, and may use ${root}raise/<key>, ${root}clear/<key> and ${root}about.`,
  );
}
