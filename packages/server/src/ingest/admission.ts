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
  /** The same for a token that was right before, without waiting; undefined where it must be looked up. */
  known(token: string, receivedAt: number): { entry: DeviceEntry; tokenId: number } | undefined;
}

interface Parts {
  registry: Registry;
  arrivals: ArrivalBook;
  proofs: Proofs;
  tokenUse: TokenUse;
}

export function createAdmission({ registry, arrivals, proofs, tokenUse }: Parts): Admission {
  const trouble = (entry: DeviceEntry, hint: string, facts: MessageFacts): Refusal => {
    const reason = refusal('', 'bad-token', hint);
    arrivals.refuse(entry, [reason], facts);
    proofs.trouble(entry, { at: facts.receivedAt, reason: 'bad-token', hint, from: facts.from });
    return reason;
  };
  return {
    async admit(token, facts, userName) {
      if (token === null)
        return refusal('', 'bad-token', 'No device token came. Send it as "Authorization: Bearer <token>".');
      const verdict = await registry.verify(token);
      if (verdict.state !== 'right')
        return verdict.entry === null
          ? refusal('', 'bad-token', verdict.hint)
          : trouble(verdict.entry, verdict.hint, facts);
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
    known(token, receivedAt) {
      const found = registry.knownToken(token);
      if (found !== undefined) tokenUse.note(found.tokenId, receivedAt);
      return found;
    },
  };
}
