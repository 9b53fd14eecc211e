import { createHash, randomBytes } from 'node:crypto';
import { verify } from '@node-rs/argon2';
import type { Shared } from '@peatmoor/contract';
import { readSigner, type Signer } from '../auth/secrets';
import { now as clockNow } from '../clock';
import { ProblemError } from '../problems';
import { hashSecret } from '../registry';
import type { ShareLinkRow, ShareSort } from '../store/models';
import { findOne } from '../store/rows';
import type { Store } from '../store/store';
import { boardOf, shownBy, type Board, type ShownRow, type Subject } from './boards';
import { reachOf, type Reach } from './reach';

/** What the credential of a visitor begins with. */
export const LINK_PREFIX = 'link_';
/** What it goes on with where it is of a page that an editor looks at before there is a link. */
const PREVIEW = 'preview~';
const PREVIEW_MS = 15 * 60_000;
/** How long a passphrase need not be typed again. */
const OPENED_MS = 12 * 3_600_000;
/** 128 bits, which nobody guesses. */
const SECRET_BYTES = 16;
/** Calls of all visitors of one link, in a row and each second after that: a page of forty widgets takes eighty. */
const BURST = 3000;
const EACH_SECOND = 150;

/** What a visitor came by, and what it shows. */
export interface Visit extends Pick<Shared, 'backMs' | 'periodMs' | 'periodOpen' | 'endsAt'> {
  /** The number of the link; null for a page that is looked at before there is one. */
  linkId: number | null;
  revision: number;
  workspaceId: number;
  sort: ShareSort;
  title: string;
  board: Board;
  reach: Reach;
}

export const newLinkSecret = (): string => randomBytes(SECRET_BYTES).toString('base64url');

const signers = new WeakMap<Store, Promise<Signer>>();
/** What signs credentials of visitors: read once for each store. */
function signerOf(store: Store): Promise<Signer> {
  let signer = signers.get(store);
  if (signer === undefined) signers.set(store, (signer = readSigner(store)));
  signer.catch(() => signers.delete(store));
  return signer;
}

type Preview = Subject & Pick<Visit, 'backMs' | 'periodMs' | 'periodOpen'> & { workspaceId: number };

/** A credential for looking at a page that is not shared yet: signed, so that nothing has to be kept. */
export async function previewCredential(store: Store, preview: Preview): Promise<string> {
  const { workspaceId, sort, dashboardId, widgetId, deviceRowId, backMs, periodMs, periodOpen } = preview;
  const text = JSON.stringify([
    'preview',
    clockNow() + PREVIEW_MS,
    workspaceId,
    sort,
    dashboardId,
    widgetId,
    deviceRowId,
    backMs,
    periodMs,
    periodOpen,
  ]);
  return PREVIEW + (await signerOf(store)).sign(text);
}

/** What a credential of a visitor shows; null for one that is not, or no longer, right. Throws 401 where a passphrase is missing. */
export async function visitOf(store: Store, credential: string): Promise<Visit | null> {
  if (credential.length > 1000) return null;
  if (credential.startsWith(PREVIEW)) return previewOf(store, credential.slice(PREVIEW.length));
  const [secret = '', opened] = split(credential);
  const link = await linkBy(store, secret);
  if (link === null) return null;
  if (link.passHash !== null && !(await isOpened(store, link, opened)))
    throw new ProblemError('passphrase-needed', `"${link.title}" is opened with a passphrase.`);
  bound(link.id);
  const board = await boardOf(store, link.workspaceId, link);
  if (board === null) return null;
  const allowed = new Set(carriedBy(link).map(([device, stream]) => `${device} ${stream}`));
  const shown = (await shownBy(store, link.workspaceId, board, { chosen: chosenOf(link) })).filter(
    ({ deviceRowId, streamId }) => allowed.has(`${deviceRowId} ${streamId}`),
  );
  const { id, workspaceId, sort, title, revision, backMs, periodMs, periodOpen, endsAt } = link;
  return {
    linkId: id,
    revision,
    workspaceId,
    sort,
    title,
    board,
    backMs,
    periodMs,
    periodOpen,
    endsAt,
    reach: reachOf(shown),
  };
}

/** The link of a secret, while it holds. */
export async function linkBy(store: Store, secret: string): Promise<ShareLinkRow | null> {
  if (!/^[\w-]{22}$/.test(secret)) return null;
  const link = await findOne(store.models.shareLinks, { secretHash: hashSecret(secret) });
  return link === null || (link.endsAt !== null && link.endsAt <= clockNow()) ? null : link;
}

/** Counts that somebody came to the page of a link. */
export async function countOpened(store: Store, { id }: Pick<ShareLinkRow, 'id'>): Promise<void> {
  await store.withConnection((connection) =>
    connection.query('UPDATE shareLinks SET opened = opened + 1, openedAt = ? WHERE id = ?', [
      clockNow(),
      id,
    ]),
  );
}

/** A link with its passphrase: a credential that needs none for some hours. Null where the passphrase is wrong. */
export async function openWith(store: Store, link: ShareLinkRow, passphrase: string): Promise<string | null> {
  if (link.passHash !== null && !(await verify(link.passHash, passphrase).catch(() => false))) return null;
  const text = JSON.stringify(['opened', clockNow() + OPENED_MS, link.id, markOf(link)]);
  return (await signerOf(store)).sign(text);
}

/** Pairs of the row of a device and the number of a datastream that a link may read. */
export function carriedBy({ streams }: Pick<ShareLinkRow, 'streams'>): [number, number][] {
  return JSON.parse(streams) as [number, number][];
}

export const carriedText = (shown: readonly ShownRow[]): string =>
  JSON.stringify(shown.map(({ deviceRowId, streamId }) => [deviceRowId, streamId]));

/** The device that is chosen on a shared dashboard; null for whichever can be. */
export const chosenOf = ({ sort, deviceRowId }: Subject): number | null =>
  sort === 'device' ? null : deviceRowId;

async function isOpened(store: Store, link: ShareLinkRow, opened: string | undefined): Promise<boolean> {
  const text = opened === undefined ? null : (await signerOf(store)).check(opened);
  if (text === null) return false;
  const [what, until, id, mark] = JSON.parse(text) as [string, number, number, string];
  return what === 'opened' && until > clockNow() && id === link.id && mark === markOf(link);
}

/** Changes with the passphrase: who opened it with the one before has to type the new one. */
const markOf = ({ passHash }: ShareLinkRow): string =>
  createHash('sha256')
    .update(passHash ?? '')
    .digest('base64url')
    .slice(0, 16);

async function previewOf(store: Store, signed: string): Promise<Visit | null> {
  const text = (await signerOf(store)).check(signed);
  if (text === null) return null;
  const [what, until, workspaceId, sort, dashboardId, widgetId, deviceRowId, backMs, periodMs, periodOpen] =
    JSON.parse(text) as [
      string,
      number,
      number,
      ShareSort,
      number | null,
      string | null,
      number | null,
      number | null,
      number,
      boolean,
    ];
  if (what !== 'preview' || until < clockNow()) return null;
  const subject: Subject = { sort, dashboardId, widgetId, deviceRowId };
  const board = await boardOf(store, workspaceId, subject);
  if (board === null) return null;
  const shown = await shownBy(store, workspaceId, board, { chosen: chosenOf(subject) });
  return {
    linkId: null,
    revision: 0,
    workspaceId,
    sort,
    title: board.title,
    board,
    backMs,
    periodMs,
    periodOpen,
    endsAt: until,
    reach: reachOf(shown),
  };
}

const split = (credential: string): [string, string?] => {
  const at = credential.indexOf('.');
  return at < 0 ? [credential] : [credential.slice(0, at), credential.slice(at + 1)];
};

const buckets = new Map<number, { left: number; at: number }>();
/** A link that everybody opens at once takes from nobody else: what is too much is told to come later. */
function bound(linkId: number): void {
  const now = performance.now();
  const bucket = buckets.get(linkId) ?? { left: BURST, at: now };
  bucket.left = Math.min(BURST, bucket.left + ((now - bucket.at) / 1000) * EACH_SECOND) - 1;
  bucket.at = now;
  // Those that nobody opened for a while are full again, and need not be remembered.
  if (buckets.size > 10_000) buckets.clear();
  buckets.set(linkId, bucket);
  if (bucket.left >= 0) return;
  bucket.left = 0;
  throw new ProblemError('too-often', 'Too many look at this link just now. Wait a few seconds.', {
    retryAfterS: 5,
  });
}
