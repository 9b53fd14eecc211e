import { refusal, type Refusal } from '@peatmoor/core';
import type { DeviceEntry, Registry } from '../registry';
import type { ArrivalBook } from './arrivals';
import type { MessageFacts } from './message';
import type { Proofs } from '../presence/proofs';
import type { TokenUse } from '../presence/tokenUse';

/** A device that proved who it is, or why not. */
export type Admitted = { entry: DeviceEntry; tokenId: number } | Refusal;

/** The one place where a token becomes a device, for every protocol. */
export interface Admission {
  /** `userName` is the device ID that came beside the token, where the protocol has one. */
  admit(token: string | null, facts: MessageFacts, userName?: string): Promise<Admitted>;
  /** A device came, and cannot be spoken with: noted where its maker looks. */
  trouble(entry: DeviceEntry, hint: string, facts: MessageFacts): void;
  /** The same for a token that was right before, without waiting; undefined where it must be looked up. */
  known(token: string, receivedAt: number): { entry: DeviceEntry; tokenId: number } | undefined;
}

interface Parts {
  registry: Registry;
  arrivals: ArrivalBook;
  proofs: Proofs;
  tokenUse: TokenUse;
}

const LONGEST_ID = 40;
/** How often it is noted of a device that somebody named it in vain, in ms. */
const NAMED_EVERY_MS = 30_000;
const MOST_NAMED = 10_000;

export function createAdmission({ registry, arrivals, proofs, tokenUse }: Parts): Admission {
  const note = (
    entry: DeviceEntry,
    reason: 'bad-token' | 'unreadable',
    hint: string,
    facts: MessageFacts,
  ): Refusal => {
    const refused = refusal('', reason, hint);
    arrivals.refuse(entry, [refused], facts);
    proofs.trouble(entry, { at: facts.receivedAt, reason, hint, from: facts.from });
    return refused;
  };
  const trouble = (entry: DeviceEntry, hint: string, facts: MessageFacts): Refusal =>
    note(entry, 'bad-token', hint, facts);
  /** When somebody last named a device without a token of anybody's, by its row. */
  const named = new Map<number, number>();
  /**
   * Who names a device and cannot prove to be it is told of there, seldom: whoever knows a name must not fill the list of what
   * arrives. Not where several workspaces have a device of that name.
   */
  const unproved = async (userName: string, hint: string, facts: MessageFacts): Promise<void> => {
    const entry = userName.length > LONGEST_ID ? null : await registry.named(userName);
    const before = entry && named.get(entry.rowId);
    if (entry === null || facts.receivedAt - (before ?? -Infinity) < NAMED_EVERY_MS) return;
    if (named.size >= MOST_NAMED) named.clear();
    named.set(entry.rowId, facts.receivedAt);
    trouble(entry, `Somebody named "${entry.id}" as the MQTT user name. ${hint}`, facts);
  };
  return {
    async admit(token, facts, userName) {
      if (token === null)
        return refusal('', 'bad-token', 'No device token came. Send it as "Authorization: Bearer <token>".');
      const verdict = await registry.verify(token);
      if (verdict.state !== 'right') {
        if (verdict.entry !== null) return trouble(verdict.entry, verdict.hint, facts);
        if (userName !== undefined) await unproved(userName, verdict.hint, facts);
        return refusal('', 'bad-token', verdict.hint);
      }
      if (userName !== undefined && userName !== verdict.entry.id)
        return trouble(
          verdict.entry,
          `The token belongs to "${verdict.entry.id}", but the MQTT user name was "${userName.slice(0, 40)}". Set the user name to the device ID.`,
          facts,
        );
      tokenUse.note(verdict.tokenId, facts.receivedAt);
      proofs.reached(verdict.entry, 'tokenRightAt', facts.receivedAt);
      return { entry: verdict.entry, tokenId: verdict.tokenId };
    },
    trouble: (entry, hint, facts) => void note(entry, 'unreadable', hint, facts),
    known(token, receivedAt) {
      const found = registry.knownToken(token);
      if (found !== undefined) tokenUse.note(found.tokenId, receivedAt);
      return found;
    },
  };
}
