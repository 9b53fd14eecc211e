import {
  isRefusal,
  refusal,
  takeReport,
  type AcceptedValue,
  type DecodedReport,
  type Refusal,
  type ReportRow,
} from '@peatmoor/core';
import type { ReportAnswer } from '@peatmoor/contract';
import type { CommandBook } from '../commands/commands';
import { JournalBusyError, type JournalWriter } from '../journal/writer';
import { factsOf, type OtherReading } from '../journal/others';
import type { DeviceEntry, DeviceStream, Registry } from '../registry';
import type { ArrivalBook } from './arrivals';
import type { MessageFacts } from './message';
import type { NewNames } from './newNames';
import type { PresenceBook } from './presence';
import type { Proofs } from './proofs';

/**
 * What became of a report that was offered without waiting: its answer, which holds once what was added to the journal
 * is durable; or why nothing happened yet.
 */
export type Offered = ReportAnswer | 'busy' | 'needs-waiting';

export interface Ingest {
  /**
   * Matches, journals and notes one report of a device for itself, at once. The caller answers the device when the
   * journal says that what was accepted is durable. `busy` where the journal takes nothing, `needs-waiting` where
   * report() must do it; then its message is not counted against the device's rate. `facts` may be used again afterwards.
   */
  offer(entry: DeviceEntry, decoded: DecodedReport | Refusal, facts: MessageFacts): Offered;
  /**
   * The same with all that may need waiting: sub-devices (`forDevice`, or named by the rows) and names that the kind
   * accepts as new. Throws JournalBusyError when nothing can be taken just now; then nothing was stored.
   */
  report(
    entry: DeviceEntry,
    decoded: DecodedReport | Refusal,
    facts: MessageFacts,
    forDevice?: string | null,
  ): Promise<ReportAnswer>;
  /** Notes a message that was refused as a whole. */
  refuse(entry: DeviceEntry, refused: Refusal, facts: MessageFacts): void;
  /** True where this device may send one more message now (its rate is bounded). */
  admits(entry: DeviceEntry, now: number): boolean;
}

interface Parts {
  registry: Registry;
  journal: JournalWriter;
  arrivals: ArrivalBook;
  presence: PresenceBook;
  proofs: Proofs;
  commands: CommandBook;
  newNames: NewNames;
  deviceRate: number;
}

/** Messages without a time of their own that come in one millisecond are kept apart up to this far ahead. */
const MOST_AHEAD_MS = 1000;
const SHOWN_VALUES = 40;

export function createIngest(parts: Parts): Ingest {
  const { registry, journal, arrivals, presence, proofs, commands, newNames, deviceRate } = parts;
  const rates = new Map<number, { since: number; count: number }>();

  const refuse = (entry: DeviceEntry, refused: Refusal, facts: MessageFacts): void => {
    presence.seen(entry.rowId, facts.receivedAt);
    if (!arrivals.admits(entry)) return;
    arrivals.record(entry, facts, {
      number: null,
      accepted: [],
      acceptedCount: 0,
      refused: [{ ...refused, shown: '' }],
      refusedCount: 1,
    });
  };

  /** The time of a message that names none: when it came, but not that of the message before. */
  const timeOf = (entry: DeviceEntry, receivedAt: number): number => {
    if (receivedAt > entry.lastAt) entry.lastAt = receivedAt;
    else if (entry.lastAt - receivedAt < MOST_AHEAD_MS) entry.lastAt++;
    return entry.lastAt;
  };

  const take = (entry: DeviceEntry, decoded: DecodedReport, facts: MessageFacts): ReportAnswer => {
    const { receivedAt } = facts;
    const { accepted, refused } = takeReport(entry.names, decoded, timeOf(entry, receivedAt));
    let confirms = false;
    for (const { stream, at, value } of accepted) {
      if (typeof value === 'number') journal.add(stream.seriesId, at, value);
      else journal.addOther(otherReading(entry.workspaceId, stream.seriesId, at, value));
      confirms ||= stream.direction === 'both';
    }
    presence.seen(entry.rowId, receivedAt);
    const answer = { accepted: accepted.length, refused };
    const noted = arrivals.admits(entry) ? { ...facts } : null;
    const first = accepted.length > 0 && entry.proof.firstReadingAt === null;
    if (noted === null && !confirms && !first) return answer;
    const afterwards = (): void => {
      if (first) proofs.reached(entry, 'firstReadingAt', receivedAt);
      if (noted !== null) note(entry, decoded, noted, accepted, refused);
      for (const { stream, value } of confirms ? accepted : [])
        if (stream.direction === 'both' && typeof value !== 'object') commands.confirm(entry, stream, value);
    };
    if (accepted.length === 0) afterwards();
    else journal.onDurable(afterwards);
    return answer;
  };

  const note = (
    entry: DeviceEntry,
    decoded: DecodedReport,
    facts: MessageFacts,
    accepted: readonly AcceptedValue<DeviceStream>[],
    refused: readonly Refusal[],
  ): void =>
    arrivals.record(entry, facts, {
      number: decoded.number,
      accepted: accepted.slice(0, SHOWN_VALUES).map(({ stream, at, value }) => ({
        key: stream.key,
        at,
        value: typeof value === 'number' ? value : factsOf(value),
      })),
      acceptedCount: accepted.length,
      refused: refused
        .slice(0, SHOWN_VALUES)
        .map((one) => ({ ...one, shown: shownValue(decoded, one.name) })),
      refusedCount: refused.length,
    });

  const unknownNames = (entry: DeviceEntry, decoded: DecodedReport): Map<string, unknown> => {
    const names = new Map<string, unknown>();
    for (const { values } of decoded.rows)
      for (const [name, raw] of values) if (entry.names.find(name) === undefined) names.set(name, raw);
    return names;
  };

  const needsWaiting = (entry: DeviceEntry, decoded: DecodedReport): boolean => {
    for (const { device } of decoded.rows) if (device !== undefined) return true;
    return entry.acceptNew && unknownNames(entry, decoded).size > 0;
  };
  /** It comes again another way, and is counted there. */
  const notYet = <Why>(entry: DeviceEntry, why: Why): Why => {
    const rate = rates.get(entry.rowId);
    if (rate !== undefined && rate.count > 0) rate.count--;
    return why;
  };

  const ingest: Ingest = {
    refuse,
    admits(entry, now) {
      if (deviceRate === 0) return true;
      const rate = rates.get(entry.rowId);
      if (rate === undefined || now - rate.since >= 1000) {
        rates.set(entry.rowId, { since: now, count: 1 });
        return true;
      }
      return ++rate.count <= deviceRate;
    },
    offer(entry, decoded, facts) {
      proofs.reached(entry, 'connectedAt', facts.receivedAt);
      if (isRefusal(decoded)) {
        refuse(entry, decoded, { ...facts });
        return { accepted: 0, refused: [decoded] };
      }
      if (needsWaiting(entry, decoded)) return notYet(entry, 'needs-waiting');
      if (!journal.takes()) return notYet(entry, 'busy');
      return take(entry, decoded, facts);
    },
    async report(entry, decoded, facts, forDevice = null) {
      proofs.reached(entry, 'connectedAt', facts.receivedAt);
      if (isRefusal(decoded)) {
        refuse(entry, decoded, facts);
        return { accepted: 0, refused: [decoded] };
      }
      if (!journal.takes()) throw new JournalBusyError('queue full, or database down');
      const targets = new Map<DeviceEntry, ReportRow[]>();
      const strangers = new Map<string, Refusal>();
      for (const row of decoded.rows) {
        const name = row.device ?? forDevice;
        const target = name === null ? entry : await targetOf(entry, name);
        if (target === null) strangers.set(name!, unknownSubDevice(entry, name!));
        else targets.set(target, [...(targets.get(target) ?? []), row]);
      }
      for (const refused of strangers.values()) refuse(entry, refused, facts);
      if (targets.size === 0 && strangers.size === 0) targets.set(entry, []);
      const answers: ReportAnswer[] = [{ accepted: 0, refused: [...strangers.values()] }];
      const whole: [DeviceEntry, DecodedReport][] = [];
      for (const [target, rows] of targets) {
        const part = { ...decoded, rows, refused: whole.length === 0 ? (decoded.refused ?? []) : [] };
        const current = target.acceptNew ? await newNames.adopt(target, unknownNames(target, part)) : target;
        whole.push([current, part]);
        if (target !== entry) presence.seen(entry.rowId, facts.receivedAt);
      }
      if (!journal.takes()) throw new JournalBusyError('queue full, or database down');
      for (const [target, part] of whole) answers.push(take(target, part, facts));
      if (answers.some(({ accepted }) => accepted > 0))
        await new Promise<void>((resolve) => journal.onDurable(resolve));
      return {
        accepted: answers.reduce((sum, one) => sum + one.accepted, 0),
        refused: answers.flatMap((one) => one.refused),
      };
    },
  };

  /** A device names itself, or a sub-device behind it; nobody else. */
  async function targetOf(entry: DeviceEntry, name: string): Promise<DeviceEntry | null> {
    if (name === entry.id || name === entry.serial) return entry;
    return registry.subDevice(entry, name);
  }
  return ingest;
}

export function unknownSubDevice(entry: DeviceEntry, name: string): Refusal {
  return refusal(
    name,
    'unknown-sub-device',
    `No sub-device "${name.slice(0, 60)}" is behind ${entry.name}. Add it on the page of ${entry.name}, by ID or serial text.`,
  );
}

function otherReading(
  workspaceId: number,
  series: number,
  at: number,
  value: OtherReading['value'],
): OtherReading {
  const bytes = typeof value === 'string' ? value.length * 2 : 'bytes' in value ? value.size : 40;
  return { workspaceId, series, at, value, bytes };
}

function shownValue(decoded: DecodedReport, name: string): string {
  for (const row of decoded.rows)
    for (const [one, raw] of row.values)
      if (one === name) {
        if (raw instanceof Uint8Array) return `${raw.length} bytes`;
        return (typeof raw === 'string' ? JSON.stringify(raw) : (JSON.stringify(raw) ?? String(raw))).slice(
          0,
          60,
        );
      }
  return '';
}

/** Refusal of a message that came faster than the device may send. */
export function tooOften(): Refusal {
  return refusal('', 'too-often');
}
