import { createHash, timingSafeEqual } from 'node:crypto';
import { inspectToken } from '@peatmoor/core';
import type { TokenRow } from '../store/models';
import { findAll } from '../store/rows';
import { gather } from '../store/gather';
import type { Store } from '../store/store';
import type { DeviceEntry } from './entry';

/** What a token proves, or why it proves nothing. */
export type TokenVerdict =
  | { state: 'right'; entry: DeviceEntry; tokenId: number }
  | { state: 'withdrawn' | 'wrong'; entry: DeviceEntry; hint: string }
  | { state: 'unknown'; entry: null; hint: string };

const MOST_REMEMBERED = 20_000;
const NO_SECRETS = { fingerprints: new Set<string>(), texts: new Set<string>() };
const TOKEN_HINTS = {
  whole: 'No device has this token. Make a new one on the device’s page.',
  'half-copied': 'The token is cut short: only a part of it was copied. Copy the whole token again.',
  mistyped:
    'The token has a wrong letter; its own check letters do not fit. Copy it again instead of typing it.',
  'not-a-token':
    'This is not a device token. A device token begins with "moor" and is shown once, when it is made.',
} as const;

/** SHA-256 of a token or key: enough for secrets of a hundred random bits. */
export function hashSecret(secret: string): Buffer {
  return createHash('sha256').update(secret).digest();
}

/** Judges device tokens, and remembers those that were right until their device changes. */
export interface TokenBook {
  verify(token: string): Promise<TokenVerdict>;
  /** Whose a token is that was right before, without waiting. */
  known(token: string): { rowId: number; tokenId: number } | undefined;
  /** A device changed: what is remembered of its tokens is read anew. */
  forget(rowId: number): void;
}

interface Surroundings {
  byRow(rowId: number): Promise<DeviceEntry | null>;
  /** Grows with every change of a definition. */
  changes(): number;
}

export function createTokenBook(store: Store, { byRow, changes }: Surroundings): TokenBook {
  const tokens = new Map<string, TokenRow>();
  /** Tokens that were right, in memory only, so that a busy board's token is not looked up and hashed for every message. */
  const right = new Map<string, { rowId: number; tokenId: number }>();
  /** What is remembered by secret, for each device, so that it is forgotten with it. */
  const secretsOf = new Map<number, { fingerprints: Set<string>; texts: Set<string> }>();
  const secrets = (rowId: number): { fingerprints: Set<string>; texts: Set<string> } => {
    let known = secretsOf.get(rowId);
    if (known === undefined) secretsOf.set(rowId, (known = { fingerprints: new Set(), texts: new Set() }));
    return known;
  };
  const lookUp = gather(async (fingerprints: readonly string[]) => {
    const rows = await findAll(store.models.deviceTokens, { where: { fingerprint: [...fingerprints] } });
    return new Map(rows.map((row) => [row.fingerprint, row] as const));
  });
  const tokenOf = async (fingerprint: string): Promise<TokenRow | null> => {
    const known = tokens.get(fingerprint);
    if (known !== undefined) return known;
    const before = changes();
    const token = await lookUp(fingerprint);
    // What was read before a change is not remembered after it.
    if (token !== null && changes() === before) {
      if (tokens.size >= MOST_REMEMBERED) tokens.clear();
      tokens.set(fingerprint, token);
      secrets(token.deviceRowId).fingerprints.add(fingerprint);
    }
    return token;
  };
  const book: TokenBook = {
    known: (text) => right.get(text),
    forget(rowId) {
      const { fingerprints, texts } = secretsOf.get(rowId) ?? NO_SECRETS;
      for (const fingerprint of fingerprints) tokens.delete(fingerprint);
      for (const text of texts) right.delete(text);
      secretsOf.delete(rowId);
    },
    async verify(text) {
      const before = changes();
      const shape = inspectToken(text);
      const unknown = (hint: string): TokenVerdict => ({ state: 'unknown', entry: null, hint });
      const token = shape.fingerprint === null ? null : await tokenOf(shape.fingerprint);
      if (token === null) return unknown(TOKEN_HINTS[shape.state]);
      const entry = await byRow(token.deviceRowId);
      if (entry === null) return unknown('The device of this token was deleted.');
      if (shape.state !== 'whole') return { state: 'wrong', entry, hint: TOKEN_HINTS[shape.state] };
      if (!timingSafeEqual(hashSecret(shape.token), token.secretHash))
        return { state: 'wrong', entry, hint: TOKEN_HINTS.mistyped };
      if (token.withdrawnAt !== null)
        return {
          state: 'withdrawn',
          entry,
          hint: `The token ${shape.fingerprint} was withdrawn. Make a new one on the page of ${entry.name}.`,
        };
      // Withdrawn perhaps, while it was looked up: look again.
      if (changes() !== before) return book.verify(text);
      if (right.size >= MOST_REMEMBERED) right.clear();
      right.set(text, { rowId: entry.rowId, tokenId: token.id });
      secrets(entry.rowId).texts.add(text);
      return { state: 'right', entry, tokenId: token.id };
    },
  };
  return book;
}
