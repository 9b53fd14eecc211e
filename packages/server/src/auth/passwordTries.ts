import { createHash, randomBytes } from 'node:crypto';
import type { Request, Response } from 'express';
import { parse } from 'cookie';
import { countedAddress } from '../listeners/address';
import type { UserRow } from '../store/models';
import type { Store } from '../store/store';
import { createLimits, type Bound } from './limits';
import type { Sealer } from './secrets';

/** Says in which accounts a browser has signed in before: it has counts of its own, which nobody elsewhere can use up. */
const BROWSER_COOKIE = 'peatmoor_browser';
const KEPT_MS = 365 * 86_400_000;
const SEALED_FOR = 'browser ';
/** Accounts that one browser is remembered for, the newest first. */
const MOST_ACCOUNTS = 8;

/** Who types a password: the account that is meant, what was typed where there is none, and the session where there is one. */
export interface Typing {
  request: Request;
  user: UserRow | null;
  /** The name as it was typed, folded. */
  typed: string;
  sessionHash?: Buffer;
}

/** Counts wrong passwords: one count for all calls that ask for one. */
export interface PasswordTries {
  /** Counts a try; throws 429 after too many. What it gives is called once the password was right. */
  attempt(typing: Typing, what: string): Promise<() => Promise<void>>;
  /** Bounds of asking for something that is sent to an account. */
  asking(typing: Typing, what: string, most: number): Bound[];
  /** Remembers that this browser signed in. */
  remember(response: Response, request: Request, user: UserRow, secure: boolean): void;
}

interface Remembered {
  id: string;
  /** Number of an account and a mark of its password at that time. */
  accounts: [userId: number, mark: string][];
}

const markOf = ({ passwordHash }: UserRow): string =>
  createHash('sha256').update(passwordHash).digest('base64url').slice(0, 10);

export function createPasswordTries(store: Store, sealer: Sealer): PasswordTries {
  const limits = createLimits(store);
  const read = (request: Request): Remembered | null => {
    const text = sealer.open((parse(request.headers.cookie ?? '')[BROWSER_COOKIE] ?? '').slice(0, 2000));
    // Sealed for this and nothing else.
    return text?.startsWith(SEALED_FOR) ? (JSON.parse(text.slice(SEALED_FOR.length)) as Remembered) : null;
  };
  /** What stands for a browser that this account knows; null for one that is strange to it. */
  const knownAs = ({ request, user, sessionHash }: Typing): string | null => {
    if (user === null) return null;
    const remembered = read(request);
    const mark = markOf(user);
    if (remembered?.accounts.some(([id, one]) => id === user.id && one === mark)) return remembered.id;
    return sessionHash?.toString('base64url') ?? null;
  };
  const accountOf = ({ user, typed }: Typing): string => (user === null ? `"${typed}"` : `#${user.id}`);
  return {
    async attempt(typing, what) {
      const known = knownAs(typing);
      const account = accountOf(typing);
      const from = countedAddress(typing.request);
      const bounds: Bound[] =
        known !== null
          ? [
              { name: `password of ${account} in ${known}`, most: 8, seconds: 300, forgets: true },
              { name: `password of ${account} in ${known} a day`, most: 60, seconds: 86_400, forgets: true },
            ]
          : [
              { name: `password of ${account} from ${from}`, most: 8, seconds: 300, forgets: true },
              { name: `passwords from ${from}`, most: 60, seconds: 300 },
              { name: `password of ${account}`, most: 15, seconds: 900, forgets: true },
              { name: 'passwords', most: 1000, seconds: 300 },
            ];
      await limits.attempt(bounds, what);
      return () => limits.succeeded(bounds);
    },
    asking(typing, what, most) {
      const known = knownAs(typing);
      const account = accountOf(typing);
      const from = countedAddress(typing.request);
      const seconds = 3600;
      return known !== null
        ? [{ name: `${what} of ${account} in ${known}`, most, seconds }]
        : [
            { name: `${what} of ${account} from ${from}`, most, seconds },
            { name: `${what} from ${from}`, most: 5 * most, seconds },
            { name: `${what} of ${account}`, most: 3 * most, seconds },
          ];
    },
    remember(response, request, user, secure) {
      const { id, accounts } = read(request) ?? { id: randomBytes(12).toString('base64url'), accounts: [] };
      const others = accounts.filter(([userId]) => userId !== user.id).slice(0, MOST_ACCOUNTS - 1);
      const remembered: Remembered = { id, accounts: [[user.id, markOf(user)], ...others] };
      response.cookie(BROWSER_COOKIE, sealer.seal(SEALED_FOR + JSON.stringify(remembered)), {
        httpOnly: true,
        sameSite: 'strict',
        secure,
        maxAge: KEPT_MS,
        path: '/',
      });
    },
  };
}
