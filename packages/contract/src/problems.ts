/** What an error answer of the API can be, each declared once. The code is the last part of the problem's `type`. */
export interface ProblemKind {
  status: number;
  title: string;
  /** What happened, in a sentence or two. */
  meaning: string;
  /** What to do about it. */
  remedy: string;
}

const declared = {
  unreadable: {
    status: 400,
    title: 'Unreadable',
    meaning: 'The body is not JSON.',
    remedy: 'Check quotes, commas and brackets near the place that the detail names, and send it again.',
  },
  'not-signed-in': {
    status: 401,
    title: 'Not signed in',
    meaning: 'Nobody is signed in, or email and password do not fit.',
    remedy: 'Sign in, or send an access key in the header "Authorization: Bearer key_…".',
  },
  'wrong-method': {
    status: 405,
    title: 'Wrong method',
    meaning: 'There is such an address, but not with this method.',
    remedy: 'Use one of the methods in the header Allow.',
  },
  'not-allowed': {
    status: 403,
    title: 'Not allowed',
    meaning: 'You are signed in, but your role or your access key does not reach this far.',
    remedy: 'Ask an owner of the workspace, or use an access key with a wider scope.',
  },
  'foreign-page': {
    status: 403,
    title: 'Foreign page',
    meaning: 'The call was made by a page of another site with your session.',
    remedy: 'Open the console at the address of the service itself. Programs use an access key.',
  },
  'no-workspace': {
    status: 403,
    title: 'No workspace',
    meaning: 'This account belongs to no workspace any more.',
    remedy: 'Ask an owner of the workspace for a new link.',
  },
  'not-open': {
    status: 403,
    title: 'Not open',
    meaning: 'New accounts cannot be made here: the first one exists.',
    remedy: 'Ask an owner of a workspace for a link, or sign in.',
  },
  'link-not-valid': {
    status: 403,
    title: 'Not valid',
    meaning: 'The link was used, taken back, or is too old.',
    remedy: 'Ask whoever gave it to you for a new one.',
  },
  'code-needed': {
    status: 401,
    title: 'Code needed',
    meaning: 'The account has a second factor.',
    remedy: 'Type the six digits that your app shows, or one of your recovery codes.',
  },
  'passphrase-needed': {
    status: 401,
    title: 'Passphrase needed',
    meaning: 'This share link is opened with a passphrase.',
    remedy: 'Type the passphrase that you were given with the link.',
  },
  'not-found': {
    status: 404,
    title: 'Not found',
    meaning: 'There is nothing of this name in your workspace, or no such call.',
    remedy: 'Look at the list for what there is; all calls are in /api/openapi.json.',
  },
  conflict: {
    status: 409,
    title: 'Conflict',
    meaning: 'The change does not fit the state that things are in now. Nothing was changed.',
    remedy: 'Read what there is now, and decide again.',
  },
  'still-under-way': {
    status: 409,
    title: 'Still under way',
    meaning: 'The same call, with the same Idempotency-Key, is being worked on.',
    remedy: 'Send it again in a second, with the same key: it is answered with what came of it.',
  },
  'outcome-not-known': {
    status: 409,
    title: 'Outcome not known',
    meaning: 'The service stopped while it worked on the call with this Idempotency-Key.',
    remedy: 'Look whether it was done. If it was not, send it with a new key.',
  },
  'too-late': {
    status: 409,
    title: 'Too late',
    meaning:
      'The call came after the time up to which it was meant. Nothing was changed, and nothing is sent.',
    remedy: 'Look at how things are now, and want it anew if it is still right.',
  },
  'changed-meanwhile': {
    status: 412,
    title: 'Changed meanwhile',
    meaning: 'What If-Match names is no longer the newest version. Nothing was changed.',
    remedy: 'Read it again, make your change to that, and send it with its ETag.',
  },
  'too-large': {
    status: 413,
    title: 'Too large',
    meaning: 'The body is larger, or has more parts, than is taken at once.',
    remedy: 'Send less at once.',
  },
  'wrong-form': {
    status: 415,
    title: 'Wrong form',
    meaning:
      'The body is written in a way that is not read here, such as another letter code or compression.',
    remedy: 'Send JSON in UTF-8, not compressed.',
  },
  'not-accepted': {
    status: 422,
    title: 'Not accepted',
    meaning: 'Something in the body, the address or a header is not right. Nothing was changed.',
    remedy: 'The list "errors" names each field, what is wrong with it and what to do.',
  },
  'key-used-otherwise': {
    status: 422,
    title: 'Key used otherwise',
    meaning: 'This Idempotency-Key came with another call already.',
    remedy: 'Make a new key for each new call; use it again only to repeat the same one.',
  },
  'too-often': {
    status: 429,
    title: 'Too many attempts',
    meaning: 'This was tried too often in a short time.',
    remedy: 'Wait for as long as Retry-After says.',
  },
  fault: {
    status: 500,
    title: 'A fault in the service',
    meaning: 'Something went wrong that should not. It is in the log of the service.',
    remedy: 'Try again; if it stays, show the log to whoever keeps the service.',
  },
  'too-many-at-once': {
    status: 503,
    title: 'Too many calls at once',
    meaning:
      'So many calls of this caller, or from this address, are under way that no more can wait. Nothing was done.',
    remedy: 'Send fewer calls at once, and this one again after the seconds in the header Retry-After.',
  },
  unavailable: {
    status: 503,
    title: 'Unavailable',
    meaning: 'The records cannot be reached just now. Nothing is lost that was acknowledged.',
    remedy: 'Try again in a few seconds.',
  },
} satisfies Record<string, ProblemKind>;

export type ProblemCode = keyof typeof declared;
export const PROBLEMS: Readonly<Record<ProblemCode, ProblemKind>> = declared;

/** The `type` of a problem: the address, at the service, of the page that explains it (RFC 9457 §3.1.1). */
export function problemType(code: ProblemCode): string {
  return `/problems/${code}`;
}

/** The code in a `type`, or null for a problem that is not one of ours. */
export function problemCode(type: string): ProblemCode | null {
  const code = /^\/problems\/([a-z-]+)$/.exec(type)?.[1];
  return code !== undefined && Object.hasOwn(PROBLEMS, code) ? (code as ProblemCode) : null;
}
