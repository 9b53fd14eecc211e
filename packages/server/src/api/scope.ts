import { randomBytes } from 'node:crypto';
import type { IncomingMessage } from 'node:http';
import { parse } from 'cookie';
import {
  ACTIONS,
  inspectToken,
  isOfService,
  makeToken,
  mayByKey,
  mayDo,
  roleIncludes,
  TOKEN_RANDOM_BYTES,
  mayCarry,
  type Action,
  type CarriedBy,
  type Role,
  type UnitSystem,
} from '@peatmoor/core';
import { NO_CHOICES, type Me, type PersonalChoices } from '@peatmoor/contract';
import { timingSafeEqual } from 'node:crypto';
import { ProblemError } from '../problems';
import { hashSecret } from '../registry';
import { reachOfGrants, type Reach } from '../sharing/reach';
import { LINK_PREFIX, visitOf, type Visit } from '../sharing/visitors';
import type { MembershipRow, UserRow, WorkspaceRow } from '../store/models';
import { findOne, fromColumns } from '../store/rows';
import type { Store } from '../store/store';
import { placeOfWorkspace } from '../timetables/place';
import { now as clockNow } from '../clock';

export const SESSION_COOKIE = 'peatmoor_session';
export const SESSION_MS = 30 * 86_400_000;
/** How exactly it is kept when a session was used last. */
const SEEN_MS = 60_000;
/** What an access key begins with, before letters made like those of a device token. */
export const KEY_PREFIX = 'key_';

/** Who is calling, in which workspace, and what they may do there. The one thing every query of the API starts from. */
export interface Scope {
  userId: number;
  userName: string;
  email: string;
  units: UnitSystem;
  /** Counted up when name or units change. */
  userVersion: number;
  workspaceId: number;
  workspace: Me['workspace'];
  choices: PersonalChoices;
  role: Role;
  /** True in the workspace that was made first: its owners look after the service itself. */
  isFirst: boolean;
  /** What a link or grants carry beyond the role; null for nothing. */
  reach: Reach | null;
  /** Where the caller is a visitor: what they came by. */
  visit: Visit | null;
  /** Where the caller is an access key of one device: its row, and whether it may look or report. */
  only: { deviceRowId: number; may: 'look' | 'report' } | null;
  /** True for an access key that may not do all that its person may. */
  limited: boolean;
  /** By what the caller came: it may end while a page is open. */
  pass: Pass;
}

/** A session, an access key or a share link, by which somebody came. */
export type Pass =
  | { kind: 'session'; idHash: Buffer }
  | { kind: 'key'; id: number; title: string }
  | { kind: 'link'; id: number | null; revision: number; endsAt: number | null };

/** Finds out who is calling, by session cookie, access key or share link; null for nobody. */
export async function scopeOf(
  store: Store,
  request: IncomingMessage,
  keyInAddress?: string,
): Promise<Scope | null> {
  const bearer = keyInAddress ?? linkInAddress(request) ?? bearerOf(request);
  if (bearer !== undefined) {
    if (bearer.startsWith(LINK_PREFIX)) return scopeOfLink(store, bearer.slice(LINK_PREFIX.length));
    return bearer.startsWith(KEY_PREFIX) ? scopeOfKey(store, bearer.slice(KEY_PREFIX.length)) : null;
  }
  const session = sessionIdOf(request);
  if (session === undefined) return null;
  const idHash = hashSecret(session);
  const row = await findOne(store.models.sessions, { idHash });
  const now = clockNow();
  if (row === null || row.endsAt < now) return null;
  if (now - (row.seenAt ?? 0) > SEEN_MS)
    await store.models.sessions.update({ seenAt: now }, { where: { idHash } });
  return member(store, row.userId, row.workspaceId, { kind: 'session', idHash });
}

/** What a request comes with, right or wrong, to count it by; undefined for nothing. */
export function credentialOf(request: IncomingMessage): { text: string; isLink: boolean } | undefined {
  const [, shared] = /^\/shared\/([^/?]+)/.exec(originalOf(request)) ?? [];
  if (shared !== undefined) return { text: LINK_PREFIX + shared, isLink: true };
  const text = linkInAddress(request) ?? bearerOf(request) ?? sessionIdOf(request);
  return text === undefined ? undefined : { text, isLink: text.startsWith(LINK_PREFIX) };
}

/** The address as it was asked for, before any part of it was taken off. */
const originalOf = (request: IncomingMessage): string =>
  (request as { originalUrl?: string }).originalUrl ?? request.url ?? '';

function bearerOf({ headers }: IncomingMessage): string | undefined {
  return /^bearer\s+(\S+)$/i.exec(headers.authorization ?? '')?.[1];
}

/** The credential of a visitor where no header can be sent: pictures, and the live channel. */
function linkInAddress({ url, method }: IncomingMessage): string | undefined {
  if (method !== 'GET') return undefined;
  const [, credential] = /[?&]link=([\w.~-]{1,1000})(?:&|$)/.exec(url ?? '') ?? [];
  return credential === undefined ? undefined : LINK_PREFIX + credential;
}

/** A visitor: nobody's account, no role, and exactly what the link carries. */
async function scopeOfLink(store: Store, credential: string): Promise<Scope | null> {
  const visit = await visitOf(store, credential);
  if (visit === null) return null;
  const { workspaceId, linkId, revision, endsAt } = visit;
  const workspace = (await findOne(store.models.workspaces, { id: workspaceId }))!;
  return {
    userId: 0,
    userName: 'a visitor',
    email: '',
    units: 'metric',
    userVersion: 0,
    workspaceId,
    workspace: {
      id: workspaceId,
      title: workspace.title,
      zone: workspace.zone,
      place: null,
      recordDays: null,
    },
    choices: NO_CHOICES,
    role: 'none',
    isFirst: false,
    reach: visit.reach,
    visit,
    only: null,
    limited: true,
    pass: { kind: 'link', id: linkId, revision, endsAt },
  };
}

export function sessionIdOf(request: IncomingMessage): string | undefined {
  return parse(request.headers.cookie ?? '')[SESSION_COOKIE];
}

/** By what a caller may do more than their role says. */
function carriersOf({ visit, reach }: Scope): CarriedBy[] {
  if (visit !== null) return ['link'];
  return reach === null ? [] : reach.steers ? ['viewer', 'operator'] : ['viewer'];
}

/** The one place that decides what a caller may do. Throws 401 for nobody, 403 for too little, whatever is asked for. */
export function demand(scope: Scope | null, action: Action): Scope {
  if (scope === null)
    throw new ProblemError(
      'not-signed-in',
      'Sign in first, or send an access key as "Authorization: Bearer key_…".',
    );
  if (scope.visit === null && mayDo(scope.role, action)) {
    if (isOfService(action) && !scope.isFirst) throw notOfService(scope);
    if (scope.pass.kind === 'key' && !mayByKey(action, scope.limited)) throw notByKey(action);
    return scope;
  }
  if (carriersOf(scope).some((by) => mayCarry(by, action))) return scope;
  if (scope.visit !== null)
    throw new ProblemError('not-allowed', 'A share link only shows what is shared. Sign in to do more.');
  throw new ProblemError(
    'not-allowed',
    `This needs the role ${ACTIONS[action].least}; you are ${scope.role} in ${scope.workspace.title}. Ask an owner of the workspace.`,
  );
}

const notOfService = ({ workspace }: Scope): ProblemError =>
  new ProblemError(
    'not-allowed',
    `This belongs to the service itself, and ${workspace.title} is not its first workspace. Ask an owner of the first workspace.`,
  );

const notByKey = (action: Action): ProblemError =>
  new ProblemError(
    'not-allowed',
    ACTIONS[action].byKey === 'none'
      ? 'No access key may do this. Sign in on the page of the service and do it there.'
      : 'This access key may not do this. Sign in, or use a key for everything.',
  );

/** A new access key: its text for the person, shown once, and what is kept. */
export function makeAccessKey(): { secret: string; fingerprint: string; secretHash: Buffer } {
  const token = makeToken(randomBytes(TOKEN_RANDOM_BYTES));
  const shape = inspectToken(token);
  return { secret: KEY_PREFIX + token, fingerprint: shape.fingerprint!, secretHash: hashSecret(token) };
}

async function scopeOfKey(store: Store, text: string): Promise<Scope | null> {
  const shape = inspectToken(text);
  if (shape.state !== 'whole') return null;
  const key = await findOne(store.models.accessKeys, { fingerprint: shape.fingerprint });
  if (key !== null && key.endsAt !== null && key.endsAt < clockNow()) return null;
  if (key === null || !timingSafeEqual(key.secretHash, hashSecret(shape.token))) return null;
  const now = clockNow();
  if (now - (key.usedAt ?? 0) > 60_000)
    await store.models.accessKeys.update({ usedAt: now }, { where: { id: key.id } });
  const scope = await member(store, key.userId, key.workspaceId, {
    kind: 'key',
    id: key.id,
    title: key.title,
  });
  if (scope === null || key.scope === 'everything') return scope;
  if (key.scope === 'read')
    return { ...scope, role: lesser(scope.role, 'viewer'), reach: lookingOnly(scope.reach), limited: true };
  const may = key.scope === 'read-device' ? 'look' : 'report';
  return {
    ...scope,
    limited: true,
    role: lesser(scope.role, may === 'look' ? 'viewer' : 'editor'),
    reach: lookingOnly(scope.reach),
    only: { deviceRowId: key.deviceRowId!, may },
  };
}

/** What is granted, as far as it is looking. */
function lookingOnly(reach: Reach | null): Reach | null {
  if (reach === null) return null;
  const devices = [...reach.devices].map(
    ([rowId, { streams }]) => [rowId, { streams, steers: new Set<number>() }] as const,
  );
  return { ...reach, devices: new Map(devices), steers: false };
}

/** A key never does more than its person may. */
function lesser(mine: Role, wanted: Role): Role {
  return roleIncludes(mine, wanted) ? wanted : mine;
}

/** The one place that holds a key of one device to that device and to what it is for. Throws 403. */
export function demandReach(
  scope: Scope | null,
  call: { method: string; path: string },
  deviceRowId: number | null,
): void {
  if (scope === null || scope.only === null) return;
  const reports = call.method === 'POST' && /\/(report|import)$/.test(call.path);
  const fits = scope.only.may === 'look' ? call.method === 'GET' : reports;
  if (deviceRowId === scope.only.deviceRowId && fits) return;
  throw new ProblemError(
    'not-allowed',
    scope.only.may === 'look'
      ? 'This access key may only look at one device. Use a key with a wider scope.'
      : 'This access key may only report for one device. Use a key with a wider scope.',
  );
}

/** The scope of somebody in a workspace that they belong to; null where they do not. */
export async function member(
  store: Store,
  userId: number,
  workspaceId: number,
  pass: Pass,
): Promise<Scope | null> {
  const belonging = await belongingOf(store, userId, workspaceId);
  if (belonging === null) return null;
  const { membership, user, workspace, first } = belonging;
  return {
    userId,
    userName: user.name,
    email: user.email ?? '',
    units: user.units,
    userVersion: user.revision,
    workspaceId,
    workspace: {
      id: workspace.id,
      title: workspace.title,
      zone: workspace.zone,
      place: placeOfWorkspace(workspace),
      recordDays: workspace.recordDays,
    },
    choices: { ...NO_CHOICES, ...user.choices },
    role: membership.role,
    isFirst: Number(first) === workspace.id,
    // An operator steers everything, and sees it all: grants add nothing.
    reach: roleIncludes(membership.role, 'operator') ? null : await reachOfGrants(store, workspaceId, userId),
    visit: null,
    only: null,
    limited: false,
    pass,
  };
}

interface Belonging {
  membership: Pick<MembershipRow, 'role'>;
  user: Pick<UserRow, 'name' | 'email' | 'units' | 'revision' | 'choices'>;
  workspace: Pick<WorkspaceRow, 'id' | 'title' | 'zone' | 'lat' | 'lon' | 'recordDays'>;
  /** Number of the workspace that was made first. */
  first: number;
}

/** Person, workspace and the role there, in one statement: every call asks it. */
async function belongingOf(store: Store, userId: number, workspaceId: number): Promise<Belonging | null> {
  const [row] = (await store.withConnection((connection) =>
    connection.query(
      {
        sql: `SELECT membership.role, user.name, user.email, user.units, user.revision, user.choices,
          workspace.id, workspace.title, workspace.zone, workspace.lat, workspace.lon, workspace.recordDays,
          (SELECT MIN(id) FROM workspaces) AS first
          FROM memberships membership
          JOIN users user ON user.id = membership.userId
          JOIN workspaces workspace ON workspace.id = membership.workspaceId
          WHERE membership.userId = ? AND membership.workspaceId = ?`,
        nestTables: true,
      },
      [userId, workspaceId],
    ),
  )) as (Omit<Belonging, 'first'> & { '': { first: number } })[];
  return row === undefined ? null : { ...row, user: fromColumns(row.user), first: row[''].first };
}
