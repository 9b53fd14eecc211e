import { isRefusal, refusal, takeReport, type DecodedReport, type Refusal } from '@peatmoor/core';
import type { ReportAnswer } from '@peatmoor/contract';
import type { CommandBook } from '../commands/commands';
import type { JournalWriter } from '../journal/writer';
import type { DeviceEntry } from '../registry';
import type { ArrivalBook } from './arrivals';
import type { PresenceBook } from './presence';
import type { Proofs } from './proofs';

/** What is known about a message besides its values. */
export interface MessageFacts {
  /** How it came: "HTTP", "HTTP GET", "MQTT" or "by hand". */
  way: string;
  /** Address it came from. */
  from: string;
  /** Bytes of its body. */
  size: number;
  receivedAt: number;
}

export interface Ingest {
  /**
   * Matches, journals and notes one report; resolves when what was accepted is durable.
   * Throws JournalBusyError when nothing can be taken just now; then nothing was stored.
   */
  report(entry: DeviceEntry, decoded: DecodedReport | Refusal, facts: MessageFacts): Promise<ReportAnswer>;
  /** Notes a message that was refused as a whole. */
  refuse(entry: DeviceEntry, refused: Refusal, facts: MessageFacts): void;
  /** True where this device may send one more message now (its rate is bounded). */
  admits(entry: DeviceEntry, now: number): boolean;
}

interface Parts {
  journal: JournalWriter;
  arrivals: ArrivalBook;
  presence: PresenceBook;
  proofs: Proofs;
  commands: CommandBook;
  deviceRate: number;
}

export function createIngest({ journal, arrivals, presence, proofs, commands, deviceRate }: Parts): Ingest {
  const rates = new Map<number, { since: number; count: number }>();

  const refuse = (entry: DeviceEntry, refused: Refusal, facts: MessageFacts): void => {
    presence.seen(entry.rowId, facts.receivedAt);
    arrivals.record(entry, {
      ...facts,
      number: null,
      accepted: [],
      acceptedCount: 0,
      refused: [{ ...refused, shown: '' }],
      refusedCount: 1,
    });
  };
  return {
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
    async report(entry, decoded, facts) {
      proofs.reached(entry, 'connectedAt', facts.receivedAt);
      if (isRefusal(decoded)) {
        refuse(entry, decoded, facts);
        return { accepted: 0, refused: [decoded] };
      }
      const { accepted, refused } = takeReport(entry.names, decoded, facts.receivedAt);
      if (accepted.length > 0)
        await journal.append({
          series: accepted.map(({ stream }) => stream.seriesId),
          times: accepted.map(({ at }) => at),
          values: accepted.map(({ value }) => value),
        });
      presence.seen(entry.rowId, facts.receivedAt);
      if (accepted.length > 0) proofs.reached(entry, 'firstReadingAt', facts.receivedAt);
      for (const { stream, value } of accepted)
        if (stream.direction === 'both') commands.confirm(entry, stream, value);
      arrivals.record(entry, {
        ...facts,
        number: decoded.number,
        accepted: accepted.slice(0, 40).map(({ stream, at, value }) => ({ key: stream.key, at, value })),
        acceptedCount: accepted.length,
        refused: refused.slice(0, 40).map((one) => ({ ...one, shown: shownValue(decoded, one.name) })),
        refusedCount: refused.length,
      });
      return { accepted: accepted.length, refused };
    },
  };
}

function shownValue(decoded: DecodedReport, name: string): string {
  for (const row of decoded.rows)
    for (const [one, raw] of row.values) if (one === name) return (JSON.stringify(raw) ?? '').slice(0, 60);
  return '';
}

export const tooOften = (): Refusal => refusal('', 'too-often');
