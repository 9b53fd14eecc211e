import { decodePlain, isRefusal, type DecodedReport, type Refusal } from '@peatmoor/core';
import type { ReportAnswer } from '@peatmoor/contract';
import type { CommandBook, Wanted } from '../../commands/commands';
import type { Claiming, ClaimOutcome } from '../../definitions/claiming';
import type { FirmwareBook } from '../../definitions/firmware';
import type { RaisedEvents } from '../../rules/raised';
import type { DeviceEntry, Registry } from '../../registry';
import type { AboutBook } from '../about';
import type { ArrivalBook } from '../arrivals';
import type { MessageFacts } from '../message';
import type { PresenceBook, Press } from '../../presence/presence';
import type { Proofs } from '../../presence/proofs';
import { createApplied } from './applied';
import { unknownSubDevice } from './refusals';
import type { Report } from './report';
import { now as clockNow } from '../../clock';

export { TooFastError, type Offered, type Report, type TakeMore } from './report';
export { failed, tooOften, unknownSubDevice } from './refusals';

/** Values that a device is told, and the number of their state: it grows whenever a person wants something else. */
export interface WantedState {
  list: Wanted[];
  n: number;
}

/**
 * What a board may do, each written once, whatever the protocol. A listener parses bytes, calls one of these, and writes
 * the answer. `facts` tell of the message for Arrivals.
 */
export interface Verbs {
  report: Report;
  /** What is wanted now; with `waitMs` only when there is something newer than `n`, or the time is over, or nobody waits any more. */
  wanted(
    entry: DeviceEntry,
    ask: { waitMs: number; n: number | null; gone: AbortSignal },
  ): Promise<WantedState>;
  /** Of what an answer over HTTP would tell, what it may: a press is told once. */
  take(list: readonly Wanted[]): Promise<Wanted[]>;
  /** How a session takes a wanted value that is a press; null for one that lasts. */
  pressOf(wanted: Wanted): Press | null;
  /** The device has been told these. */
  told(entry: DeviceEntry, list: readonly Wanted[]): Promise<void>;
  applied(entry: DeviceEntry, decoded: DecodedReport | Refusal, facts: MessageFacts): Promise<ReportAnswer>;
  /** One control, by its name; null for the value that was asked for. */
  appliedOne(
    entry: DeviceEntry,
    name: string,
    text: string | null,
    facts: MessageFacts,
  ): Promise<ReportAnswer>;
  say(
    entry: DeviceEntry,
    verb: 'raise' | 'clear',
    key: string,
    text: string,
    facts: MessageFacts,
  ): Promise<ReportAnswer>;
  about(entry: DeviceEntry, text: string, facts: MessageFacts): Promise<ReportAnswer>;
  firmware: Pick<FirmwareBook, 'ask' | 'read' | 'said'>;
  claim(secret: string | null, asked: unknown, from: string): Promise<ClaimOutcome>;
  /** The device itself, or a sub-device behind it that it speaks for; a refusal where there is none. */
  speaksFor(entry: DeviceEntry, name: string | null): Promise<DeviceEntry | Refusal>;
}

interface Parts {
  report: Report;
  registry: Registry;
  commands: CommandBook;
  raised: RaisedEvents;
  aboutBook: AboutBook;
  claiming: Claiming;
  firmware: FirmwareBook;
  arrivals: ArrivalBook;
  presence: PresenceBook;
  proofs: Proofs;
}

export function createVerbs(parts: Parts): Verbs {
  const { report, registry, commands, raised, aboutBook, claiming, firmware, arrivals, presence, proofs } =
    parts;
  const applied = createApplied(commands);
  const heard = (entry: DeviceEntry, facts: MessageFacts): void => {
    proofs.reached(entry, 'connectedAt', facts.receivedAt);
    presence.seen(entry.rowId, facts.receivedAt);
  };
  /** Notes what was refused of a message that is no report. */
  const noted = (entry: DeviceEntry, answer: ReportAnswer, facts: MessageFacts): ReportAnswer => {
    if (answer.refused.length > 0) arrivals.refuse(entry, answer.refused, facts);
    return answer;
  };
  const one = (refused: Refusal | null): ReportAnswer =>
    refused === null ? { accepted: 1, refused: [] } : { accepted: 0, refused: [refused] };

  const verbs: Verbs = {
    report,
    async wanted(entry, { waitMs, n, gone }) {
      heard(entry, { receivedAt: clockNow() } as MessageFacts);
      let state = await commands.wanted(entry);
      const isNew = (): boolean =>
        n === null ? state.list.some(({ commandId }) => commandId !== null) : state.n > n;
      if (waitMs > 0 && !isNew()) {
        await commands.waitForChange(entry.rowId, waitMs, gone);
        state = await commands.wanted((await registry.byRow(entry.rowId)) ?? entry);
      }
      return state;
    },
    take: (list) => commands.take(list),
    pressOf: (wanted) => commands.pressOf(wanted),
    told: (entry, list) => commands.delivered(entry, list),
    async applied(entry, decoded, facts) {
      heard(entry, facts);
      return noted(entry, isRefusal(decoded) ? one(decoded) : await applied(entry, decoded), facts);
    },
    appliedOne: (entry, name, text, facts) =>
      verbs.applied(
        entry,
        text === null
          ? { rows: [{ at: undefined, values: [[name, null]] }], number: null }
          : decodePlain(name, text),
        facts,
      ),
    async say(entry, verb, key, text, facts) {
      heard(entry, facts);
      const kind = verb === 'raise' ? 'raised' : 'cleared';
      return noted(entry, one(await raised.say(entry, kind, key, text)), facts);
    },
    async about(entry, text, facts) {
      heard(entry, facts);
      const refused = await aboutBook.note(entry, text);
      const whole = refused.some(({ reason }) => reason === 'unreadable');
      return noted(entry, { accepted: whole ? 0 : 1, refused }, facts);
    },
    claim: claiming.claim,
    firmware: {
      async ask(entry, asked) {
        heard(entry, { receivedAt: clockNow() } as MessageFacts);
        return firmware.ask(entry, asked);
      },
      read: firmware.read,
      said: firmware.said,
    },
    async speaksFor(entry, name) {
      if (name === null || name === entry.id || name === entry.serial) return entry;
      return (await registry.subDevice(entry, name)) ?? unknownSubDevice(entry, name);
    },
  };
  return verbs;
}
