/** Letters of a device token: digits and lower-case letters without the ones that are mistaken for others. */
const ALPHABET = '0123456789abcdefghjkmnpqrstvwxyz';
const PREFIX = 'moor';
const FINGERPRINT_LENGTH = 6;
const SECRET_LENGTH = 20;
const CHECK_LENGTH = 4;

/** Letters in a whole token. */
export const TOKEN_LENGTH = PREFIX.length + FINGERPRINT_LENGTH + SECRET_LENGTH + CHECK_LENGTH;
/** Random bytes a new token is made from. */
export const TOKEN_RANDOM_BYTES = FINGERPRINT_LENGTH + SECRET_LENGTH;

/** What can be said of a pasted text without asking anybody. */
export type TokenShape =
  | { state: 'whole'; token: string; fingerprint: string }
  | { state: 'half-copied' | 'mistyped'; fingerprint: string | null }
  | { state: 'not-a-token'; fingerprint: null };

/** Makes a device token from random bytes (at least TOKEN_RANDOM_BYTES of them): prefix, fingerprint, secret, check letters. */
export function makeToken(random: Uint8Array): string {
  if (random.length < TOKEN_RANDOM_BYTES)
    throw new RangeError(`${TOKEN_RANDOM_BYTES} random bytes are needed`);
  const body =
    PREFIX + Array.from(random.subarray(0, TOKEN_RANDOM_BYTES), (byte) => ALPHABET[byte & 31]).join('');
  return body + checkLetters(body);
}

/** The public part of a token, by which it is known later. */
export function fingerprintOf(token: string): string {
  return token.slice(PREFIX.length, PREFIX.length + FINGERPRINT_LENGTH);
}

/** Texts that may be a secret of ours: a token, or the body of an access key or a claim secret. */
const SECRETS = /moor[0-9a-z]{16,40}/gi;

/** A text with every secret in it cut to its fingerprint. */
export function withoutSecrets(text: string): string {
  return text.replace(SECRETS, (secret) => `${secret.slice(0, PREFIX.length + FINGERPRINT_LENGTH)}…`);
}

/** Tells a whole token from a half-copied, a mistyped one and from something else, by its own check letters. */
export function inspectToken(text: string): TokenShape {
  const folded = text.trim().toLowerCase().replace(/[il]/g, '1');
  if (!folded.startsWith(PREFIX) || !/^moor[0-9a-z]*$/.test(folded))
    return { state: 'not-a-token', fingerprint: null };
  const rest = folded.slice(PREFIX.length).replaceAll('o', '0').replaceAll('u', 'v');
  const token = PREFIX + rest;
  const fingerprint = rest.length >= FINGERPRINT_LENGTH ? fingerprintOf(token) : null;
  if (token.length < TOKEN_LENGTH) return { state: 'half-copied', fingerprint };
  const body = token.slice(0, -CHECK_LENGTH);
  if (token.length > TOKEN_LENGTH || checkLetters(body) !== token.slice(-CHECK_LENGTH))
    return { state: 'mistyped', fingerprint };
  return { state: 'whole', token, fingerprint: fingerprint! };
}

/** Four check letters: a sum over GF(32) positions that notices every single wrong letter and swapped neighbours. */
function checkLetters(body: string): string {
  let high = 17;
  let low = 5;
  for (const letter of body) {
    const value = Math.max(0, ALPHABET.indexOf(letter)) + (letter === 'o' ? 24 : 0) + 1;
    high = (high * 37 + value) % 1021;
    low = (low * 41 + value * 3) % 1019;
  }
  return [high >> 5, high & 31, low >> 5, low & 31].map((index) => ALPHABET[index]).join('');
}
