import { refusal } from '@peatmoor/core';
import type { Ingest } from '../ingest/ingest';
import type { MessageFacts } from '../ingest/message';
import type { Proofs } from '../ingest/proofs';
import type { TokenUse } from '../ingest/tokenUse';
import type { DeviceEntry, Registry } from '../registry';

interface Parts {
  registry: Registry;
  ingest: Ingest;
  proofs: Proofs;
  tokenUse: TokenUse;
}

/** Tells who connects by user name (the device ID) and password (its token); null for nobody, which is noted where the device is known. */
export type Admission = (
  userName: string,
  password: string,
  from: string,
) => Promise<{ entry: DeviceEntry; tokenId: number } | null>;

export function createAdmission({ registry, ingest, proofs, tokenUse }: Parts): Admission {
  return async (
    userName: string,
    password: string,
    from: string,
  ): Promise<{ entry: DeviceEntry; tokenId: number } | null> => {
    const now = Date.now();
    const verdict = await registry.verify(password);
    const facts: MessageFacts = {
      way: 'MQTT',
      from,
      size: 0,
      receivedAt: now,
      form: 'mqtt connect',
      raw: null,
    };
    const trouble = (entry: DeviceEntry, hint: string): null => {
      ingest.refuse(entry, refusal('', 'bad-token', hint), facts);
      proofs.trouble(entry, { at: now, reason: 'bad-token', hint, from });
      return null;
    };
    if (verdict.state !== 'right')
      return verdict.entry === null ? null : trouble(verdict.entry, verdict.hint);
    if (userName !== verdict.entry.id)
      return trouble(
        verdict.entry,
        `The token belongs to "${verdict.entry.id}", but the MQTT user name was "${userName.slice(0, 40)}". Set the user name to the device ID.`,
      );
    tokenUse.note(verdict.tokenId, now);
    return verdict;
  };
}
