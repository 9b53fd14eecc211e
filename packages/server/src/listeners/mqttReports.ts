import {
  decodeByContent,
  decodeJsonReport,
  decodePlain,
  isRefusal,
  refusal,
  type DecodedReport,
  type Refusal,
} from '@peatmoor/core';
import type { CommandBook } from '../commands/commands';
import { unknownSubDevice, type Ingest } from '../ingest/ingest';
import type { MessageFacts } from '../ingest/message';
import type { AboutBook } from '../ingest/about';
import type { RaisedEvents } from '../rules/raised';
import type { PresenceBook } from '../ingest/presence';
import { MQTT_PLAIN, MQTT_REPORT } from '../ingest/retake';
import type { DeviceEntry, Registry } from '../registry';
import { MOST_BYTES } from './deviceHttp';
import type { PublishFrame } from './mqttFrames';

const OPENING_BRACE = 0x7b;

/** What a topic means for a device: which verb, for which name, for itself or for a sub-device. */
export interface Report {
  verb: 'report' | 'report-one' | 'applied' | 'raise' | 'clear' | 'about' | 'unknown';
  name: string;
  /** A sub-device's ID or serial text; null for the device itself. */
  forDevice: string | null;
  topic: string;
  form: string;
}

export interface MqttReports {
  read(entry: DeviceEntry, topic: string): Report;
  /** The same for a frame on the socket; null where it must go the library's way. */
  readFrame(
    entry: DeviceEntry,
    frame: { bytes: Buffer; topicStart: number; topicEnd: number },
  ): Report | null;
  decode(report: Report, payload: Buffer, receivedMs: number): DecodedReport | Refusal;
  /** The same for a payload that is a part of other bytes. */
  decodeFrame(report: Report, frame: PublishFrame, receivedMs: number): DecodedReport | Refusal;
  take(entry: DeviceEntry, report: Report, payload: Buffer, facts: MessageFacts): Promise<Refusal[]>;
}

interface Parts {
  ingest: Ingest;
  commands: CommandBook;
  registry: Registry;
  presence: PresenceBook;
  raised: RaisedEvents;
  about: AboutBook;
}

/** Reads topics and takes what came on them. */
export function createMqttReports(parts: Parts): MqttReports {
  const { ingest, commands, registry, presence, raised, about } = parts;
  // A board publishes on few topics, again and again: the newest of each device is remembered as bytes.
  const last = new WeakMap<DeviceEntry, { bytes: Buffer; report: Report }>();

  const read = (entry: DeviceEntry, topic: string): Report => {
    const root = `moor/${entry.id}/`;
    const path = topic.startsWith(root) ? topic.slice(root.length).split('/') : [];
    const forDevice = path[0] === 'for' && path.length > 2 ? path[1]! : null;
    const [verb, name, ...more] = forDevice === null ? path : path.slice(2);
    const at = (found: Report['verb'], form: string): Report => ({
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

  const reports: MqttReports = {
    read,
    readFrame(entry, { bytes, topicStart, topicEnd }) {
      const known = last.get(entry);
      if (known !== undefined && sameBytes(known.bytes, bytes, topicStart, topicEnd)) return known.report;
      const topic = bytes.toString('utf8', topicStart, topicEnd);
      const report = read(entry, topic);
      if (report.forDevice !== null || (report.verb !== 'report' && report.verb !== 'report-one'))
        return null;
      last.set(entry, { bytes: Buffer.from(topic), report });
      return report;
    },
    decode(report, payload, receivedMs) {
      if (payload.length > MOST_BYTES) return refusal('', 'too-large');
      if (report.verb === 'report') return decodeByContent(payload, receivedMs);
      return decodePlain(report.name, payload.toString('utf8'));
    },
    decodeFrame(report, { bytes, payloadStart, end }, receivedMs) {
      // JSON in a message of usual size needs no view of its bytes.
      if (
        report.verb === 'report' &&
        bytes[payloadStart] === OPENING_BRACE &&
        end - payloadStart < MOST_BYTES
      )
        return decodeJsonReport(bytes.toString('utf8', payloadStart, end), receivedMs);
      return reports.decode(report, bytes.subarray(payloadStart, end), receivedMs);
    },
    async take(entry, report, payload, facts) {
      const whole = (target: DeviceEntry, refused: Refusal): Refusal[] => {
        ingest.refuse(target, refused, facts);
        return [refused];
      };
      const decoded = reports.decode(report, payload, facts.receivedAt);
      if (report.verb === 'report' || report.verb === 'report-one') {
        const { refused } = await ingest.report(entry, decoded, facts, report.forDevice);
        return isRefusal(decoded) ? [decoded] : refused;
      }
      const target = report.forDevice === null ? entry : await registry.subDevice(entry, report.forDevice);
      if (target === null) return whole(entry, unknownSubDevice(entry, report.forDevice!));
      if (report.verb === 'applied') {
        const refused = await commands.applied(
          target,
          report.name,
          payload.length === 0 ? null : payload.toString('utf8'),
        );
        presence.seen(target.rowId, facts.receivedAt);
        return refused === null ? [] : whole(target, refused);
      }
      const text = payload.toString('utf8');
      if (report.verb === 'raise' || report.verb === 'clear') {
        const refused = await (report.verb === 'raise' ? raised.raise : raised.clear)(
          target,
          report.name,
          text,
        );
        presence.seen(target.rowId, facts.receivedAt);
        return refused === null ? [] : whole(target, refused);
      }
      if (report.verb === 'about') {
        const refused = await about.note(target, text);
        for (const one of refused) ingest.refuse(target, one, facts);
        return refused;
      }
      const root = `moor/${entry.id}/`;
      return whole(
        target,
        refusal(
          '',
          'wrong-topic',
          `Nothing is taken on "${report.topic.slice(0, 80)}". This device reports on ${root}report, answers on ${root}applied/<name>, and may use ${root}raise/<key>, ${root}clear/<key> and ${root}about.`,
        ),
      );
    },
  };
  return reports;
}

function sameBytes(known: Buffer, bytes: Buffer, start: number, end: number): boolean {
  if (known.length !== end - start) return false;
  for (let i = 0; i < known.length; i++) if (known[i] !== bytes[start + i]) return false;
  return true;
}
