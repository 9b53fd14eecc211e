import { setImmediate as nextTurn } from 'node:timers/promises';
import {
  isRefusal,
  MOST_REFUSALS,
  RefusalList,
  refusal,
  AHEAD_MS,
  isOwnName,
  joinPlaces,
  ReportTaker,
  takeTimes,
  type DecodedReport,
  type Refusal,
  type ReportRow,
  type TakenReport,
} from '@peatmoor/core';
import type { ReportAnswer } from '@peatmoor/contract';
import { JournalBusyError, type JournalWriter } from '../../journal/writer';
import type { OpenNumber } from '../../journal/openNumbers';
import type { OtherReading } from '../../journal/others';
import type { DeviceEntry, DeviceStream, Registry } from '../../registry';
import type { ArrivalBook } from '../arrivals';
import type { MessageFacts } from '../message';
import type { NewNames } from '../newNames';
import type { PresenceBook } from '../../presence/presence';
import type { Proofs } from '../../presence/proofs';
import type { Times } from '../times';
import type { WorkRate } from '../workRate';
import { tooOften, unknownSubDevice } from './refusals';
import { clockIsPlainlyWrong } from '../../clock';

/**
 * What became of a report that was offered without waiting: its answer, which holds once `journal.onDurable` calls back;
 * or why nothing happened yet.
 */
export type Offered = ReportAnswer | 'busy' | 'needs-waiting';

/** More messages without a time came than there are times; nothing of this one was kept, and it can be taken a moment later. */
export class TooFastError extends Error {}

/** Told of durable readings that may be what somebody wanted, or what must follow it. */
export interface Confirms {
  /** True where readings of any datastream of the device are waited for. */
  awaits(deviceRowId: number): boolean;
  reported(entry: DeviceEntry, stream: DeviceStream, at: number, value: number | string): void;
}

export interface TakeMore {
  /** Called when what was accepted is in the queue of the journal: from then on it may be stored. */
  onKept?: () => void;
  /** More messages than there are times are waited for, and not refused. */
  patient?: boolean;
  /** By which it is known that it is the same message, sent again. */
  number?: OpenNumber | null;
}

export interface Report {
  /**
   * Matches, journals and notes one report of a device for itself, at once. The caller answers the device when the
   * journal says that what was accepted is durable. `busy` where the journal takes nothing, `needs-waiting` where
   * `take` must do it. `facts` may be used again afterwards.
   */
  offer(entry: DeviceEntry, decoded: DecodedReport | Refusal, facts: MessageFacts): Offered;
  /**
   * The same with all that may need waiting: long messages, sub-devices (`forDevice`, or named by the rows) and names that
   * the kind accepts as new. Resolves when all is durable. Throws JournalBusyError when nothing can be taken just now; then
   * nothing was stored; for who is `patient` also TooFastError, instead of a refusal.
   */
  take(
    entry: DeviceEntry,
    decoded: DecodedReport | Refusal,
    facts: MessageFacts,
    forDevice?: string | null,
    more?: TakeMore,
  ): Promise<ReportAnswer>;
}

interface Parts {
  registry: Registry;
  journal: JournalWriter;
  arrivals: ArrivalBook;
  presence: PresenceBook;
  proofs: Proofs;
  newNames: NewNames;
  times: Times;
  rate: WorkRate;
  confirms: Confirms;
}

/** Values that are matched in one go; after as many, what else waits has its turn. */
const VALUES_A_TURN = 500;
/** Sub-devices that one message may speak for. */
const MOST_TARGETS = 1000;

type Taken = TakenReport<DeviceStream>;

export function createReport(parts: Parts): Report {
  const { registry, journal, arrivals, presence, proofs, newNames, times, rate } = parts;

  const refuseWhole = (entry: DeviceEntry, refused: Refusal, facts: MessageFacts): ReportAnswer => {
    presence.seen(entry.rowId, facts.receivedAt);
    arrivals.refuse(entry, [refused], facts);
    return { accepted: 0, refused: [refused] };
  };

  /** Journals what was matched, and notes the message once it is durable. */
  const keep = (
    entry: DeviceEntry,
    decoded: DecodedReport,
    { accepted, refused, refusedCount }: Taken,
    facts: MessageFacts,
    at: number | null,
    fate?: { readonly isOut: boolean },
  ): ReportAnswer => {
    const awaited = parts.confirms.awaits(entry.rowId);
    let confirms = awaited;
    let others: Map<OtherReading, string> | null = null;
    for (const { stream, at: time, value } of accepted) {
      if (typeof value === 'number') journal.add(entry.workspaceId, stream.seriesId, time, value);
      else {
        const reading = otherReading(stream.seriesId, time, value);
        (others ??= new Map()).set(reading, stream.key);
        journal.addOther(entry.workspaceId, reading);
      }
      confirms ||= stream.direction === 'both';
    }
    presence.seen(entry.rowId, facts.receivedAt);
    const answer: ReportAnswer = { accepted: accepted.length, refused };
    if (refusedCount > refused.length) answer.refusedCount = refusedCount;
    const noted = arrivals.admits(entry) ? { ...facts } : null;
    const first = accepted.length > 0 && entry.proof.firstReadingAt === null;
    if (noted === null && !confirms && !first && others === null) return answer;
    const afterwards = (bad: ReadonlySet<OtherReading>): void => {
      // It was stored and noted before.
      if (fate?.isOut === true) return;
      if (others !== null && bad.size > 0) takeBack(answer, others, bad);
      if (first) proofs.reached(entry, 'firstReadingAt', facts.receivedAt);
      if (noted !== null)
        arrivals.note(entry, decoded, noted, { accepted, refused: answer.refused, refusedCount }, at);
      for (const { stream, at: time, value } of confirms ? accepted : [])
        if ((awaited || stream.direction === 'both') && typeof value !== 'object')
          parts.confirms.reported(entry, stream, time, value);
    };
    if (accepted.length === 0) afterwards(new Set());
    else journal.onDurable(afterwards);
    return answer;
  };

  /** The time of a message's rows that name none; a refusal where too many came. */
  const timeOf = (entry: DeviceEntry, decoded: DecodedReport, receivedAt: number): number | Refusal => {
    for (const { at, givenAt } of decoded.rows)
      if (givenAt === undefined && (at === undefined || at === null || at === ''))
        return times.give(entry.rowId, receivedAt) ?? tooOften();
    return receivedAt;
  };
  const count = (decoded: DecodedReport): number => {
    let values = 0;
    for (const row of decoded.rows) values += row.values.length;
    return values;
  };

  /** While the service's own clock cannot be right, boards are believed. */
  const aheadMs = (): number => (clockIsPlainlyWrong() ? Infinity : AHEAD_MS);

  /** True where a report may only be taken in turns, for others, or with a look at the records. */
  const needsWaiting = (entry: DeviceEntry, decoded: DecodedReport, values: number): boolean => {
    if (values > VALUES_A_TURN) return true;
    for (const { device } of decoded.rows) if (device !== undefined) return true;
    return entry.acceptNew && hasUnknown(entry, decoded);
  };

  const matchInTurns = async (entry: DeviceEntry, decoded: DecodedReport, at: number): Promise<Taken> => {
    const taking = new ReportTaker(entry.names, decoded.refused ?? []);
    let done = 0;
    for (const row of decoded.rows) {
      for (let i = 0; i === 0 || i < row.values.length; i += VALUES_A_TURN) {
        const part =
          row.values.length <= VALUES_A_TURN
            ? row
            : { ...row, values: row.values.slice(i, i + VALUES_A_TURN) };
        taking.row(part, at, aheadMs());
        done += part.values.length + 1;
        if (done < VALUES_A_TURN) continue;
        done = 0;
        await nextTurn();
      }
    }
    return taking.result();
  };

  return {
    offer(entry, decoded, facts) {
      proofs.reached(entry, 'connectedAt', facts.receivedAt);
      if (isRefusal(decoded)) return refuseWhole(entry, decoded, { ...facts });
      const values = count(decoded);
      if (needsWaiting(entry, decoded, values)) return 'needs-waiting';
      if (!journal.takes()) return 'busy';
      // What speaks for others waited: all rows are of this device.
      takeTimes(decoded.rows, entry.names);
      joinPlaces(decoded.rows, entry.names, entry.streams);
      const at = timeOf(entry, decoded, facts.receivedAt);
      if (typeof at !== 'number') return 'needs-waiting';
      const taking = new ReportTaker(entry.names, decoded.refused ?? []);
      for (const row of decoded.rows) taking.row(row, at, aheadMs());
      const taken = taking.result();
      // Another node may know more: the records are asked.
      if (newNames.mayBeBehind && hasStrangers(taken)) return 'needs-waiting';
      rate.charge(entry.rowId, values, facts.size);
      return keep(entry, decoded, taken, facts, at);
    },
    async take(entry, decoded, facts, forDevice = null, { onKept, patient = false, number = null } = {}) {
      proofs.reached(entry, 'connectedAt', facts.receivedAt);
      if (isRefusal(decoded)) return refuseWhole(entry, decoded, facts);
      if (!journal.takes()) throw new JournalBusyError('queue full, or database down');
      const strangers = new RefusalList();
      const targets = await targetsOf(entry, decoded, forDevice, strangers);
      for (const refused of strangers.told) arrivals.refuse(entry, [refused], facts);
      if (targets.size === 0 && strangers.count === 0) targets.set(entry, []);
      const parts: [DeviceEntry, DecodedReport, Taken, number | null][] = [];
      const refusals = new RefusalList();
      for (const one of strangers.told) refusals.add(one);
      refusals.count = strangers.count;
      for (const [target, rows] of targets) {
        const part: DecodedReport = {
          ...decoded,
          rows,
          refused: parts.length === 0 ? (decoded.refused ?? []) : [],
        };
        takeTimes(rows, target.names);
        joinPlaces(rows, target.names, target.streams);
        const known =
          newNames.mayBeBehind && hasUnknown(target, part) ? await newNames.lookAgain(target) : target;
        const current = known.acceptNew ? await newNames.adopt(known, unknownNames(known, part)) : known;
        const at = timeOf(current, part, facts.receivedAt);
        if (typeof at !== 'number') {
          if (patient) throw new TooFastError();
          for (const one of refuseWhole(target, at, facts).refused) refusals.add(one);
          continue;
        }
        parts.push([current, part, await matchInTurns(current, part, at), at]);
        if (target !== entry) presence.seen(entry.rowId, facts.receivedAt);
      }
      if (!journal.takes()) throw new JournalBusyError('queue full, or database down');
      rate.charge(entry.rowId, count(decoded), facts.size);
      const keepAll = (fate?: { isOut: boolean }): ReportAnswer[] =>
        parts.map(([target, part, taken, at]) => keep(target, part, taken, facts, at, fate));
      const { result: answers, done } =
        number === null
          ? { result: keepAll(), done: null }
          : journal.addMessage(number, count(decoded), keepAll);
      if (answers.some(({ accepted }) => accepted > 0)) {
        onKept?.();
        await (done ?? new Promise<void>((resolve) => journal.onDurable(() => resolve())));
      }
      let accepted = 0;
      for (const one of answers) {
        accepted += one.accepted;
        for (const refused of one.refused) refusals.add(refused);
        refusals.count += (one.refusedCount ?? one.refused.length) - one.refused.length;
      }
      return {
        accepted,
        refused: refusals.told,
        ...(refusals.count > refusals.told.length && { refusedCount: refusals.count }),
      };
    },
  };

  /** The rows of a message by the device they are for: a device names itself, or sub-devices behind it. */
  async function targetsOf(
    entry: DeviceEntry,
    decoded: DecodedReport,
    forDevice: string | null,
    strangers: RefusalList,
  ): Promise<Map<DeviceEntry, ReportRow[]>> {
    const byName = new Map<string | null, ReportRow[]>();
    for (const row of decoded.rows) {
      const named = row.device ?? forDevice;
      const name = named === null || isOwnName(named, entry) ? null : named;
      const known = byName.get(name);
      if (known === undefined) byName.set(name, [row]);
      else known.push(row);
    }
    const names = [...byName.keys()].filter((name) => name !== null);
    const found = await registry.subDevices(entry, names.slice(0, MOST_TARGETS));
    const targets = new Map<DeviceEntry, ReportRow[]>();
    for (const [name, rows] of byName) {
      const target = name === null ? entry : found.get(name);
      if (target === undefined) strangers.addLater(() => unknownSubDevice(entry, name!));
      else targets.set(target, [...(targets.get(target) ?? []), ...rows]);
    }
    return targets;
  }
}

function hasUnknown(entry: DeviceEntry, decoded: DecodedReport): boolean {
  for (const { values } of decoded.rows)
    for (const [name] of values) if (entry.names.find(name) === undefined) return true;
  return false;
}

/** True where names were refused because nobody here knows them. */
const hasStrangers = ({ refused }: Taken): boolean => refused.some(({ reason }) => reason === 'unknown-name');

function unknownNames(entry: DeviceEntry, decoded: DecodedReport): Map<string, unknown> {
  const names = new Map<string, unknown>();
  for (const { values } of decoded.rows)
    for (const [name, raw] of values) if (entry.names.find(name) === undefined) names.set(name, raw);
  return names;
}

/** The database did not take some values: they were not kept, and the device is told so. */
function takeBack(
  answer: ReportAnswer,
  others: ReadonlyMap<OtherReading, string>,
  bad: ReadonlySet<OtherReading>,
): void {
  for (const [reading, key] of others) {
    if (!bad.has(reading)) continue;
    answer.accepted--;
    if (answer.refused.length < MOST_REFUSALS)
      answer.refused.push(
        refusal(key, 'unreadable', 'The database cannot hold this value. It was not kept.'),
      );
  }
}

function otherReading(series: number, at: number, value: OtherReading['value']): OtherReading {
  const bytes = typeof value === 'string' ? value.length * 2 : 'bytes' in value ? value.size : 40;
  return { series, at, value, bytes };
}
