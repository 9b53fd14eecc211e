import { isDeepStrictEqual } from 'node:util';
import type { EndpointName } from '@peatmoor/contract';
import type { Logger } from 'pino';
import { now as clockNow } from '../clock';
import type { ChangeRow } from '../store/models';
import { addTo, listIn } from '../store/rows';
import type { Store } from '../store/store';
import type { Call, Handlers } from './context';
import type { Scope } from './scope';

type Fields = Record<string, unknown>;

/** What is written down of a call that changes something. */
interface Recorded {
  /** What it changes, in one word. */
  what: string;
  /** What was done, as it stands behind a name: "Warden changed". */
  act: string;
  /** The call that reads it, so that it is known what it was before; `told` where the call that changes it says so. */
  before?: EndpointName | 'told';
  /** The field of the answer that it is, where that is not the whole. */
  of?: string;
  /** Nothing is left of it. */
  gone?: true;
  /** What of the body is said where the answer says nothing of it. */
  says?: readonly string[];
  /** Changes to the same thing within minutes are one: of the same person, or of a program with their access key. */
  gathers?: 'all' | 'keys';
}

const made = (what: string, more: Partial<Recorded> = {}): Recorded => ({ what, act: 'made', ...more });
const changed = (what: string, before?: Recorded['before'], more: Partial<Recorded> = {}): Recorded => ({
  what,
  act: 'changed',
  ...(before !== undefined && { before }),
  ...more,
});
const deleted = (
  what: string,
  before?: Recorded['before'],
  { act = 'deleted', ...more }: Partial<Recorded> = {},
): Recorded => ({ what, act, gone: true, ...(before !== undefined && { before }), ...more });

/**
 * Every call that changes something of a workspace. Null: of oneself alone, changing nothing, or written down where it is done.
 * A call that is not here fails the build's test.
 */
export const RECORDED: Partial<Record<EndpointName, Recorded | null>> = {
  changeWorkspace: changed('workspace', 'me', { of: 'workspace' }),
  makeCertificate: { what: 'certificate', act: 'made', says: ['names'] },
  addPerson: made('person', { of: 'person' }),
  changePerson: changed('person'),
  removePerson: deleted('person', undefined, { act: 'removed' }),
  resetPerson: { what: 'person', act: 'made a link for a new password of' },
  createGrant: made('grant'),
  deleteGrant: deleted('grant', undefined, { act: 'took back' }),
  createLink: made('link'),
  changeLink: changed('link', undefined, {
    says: ['title', 'endsAt', 'sites', 'listed', 'include', 'backMs'],
  }),
  deleteLink: deleted('link', undefined, { act: 'withdrew' }),
  createKind: made('kind'),
  changeKind: changed('kind', 'told'),
  deleteKind: deleted('kind', 'readKind'),
  copyKind: made('kind'),
  moveDevices: { what: 'kind', act: 'moved devices to', says: ['devices'] },
  createStream: made('datastream'),
  changeStream: changed('datastream', 'told'),
  deleteStream: deleted('datastream', 'told'),
  recompute: { what: 'datastream', act: 'worked out anew', says: ['from', 'devices'] },
  deleteFirmware: { what: 'firmware', act: 'deleted' },
  createRound: { what: 'firmware', act: 'gave', says: ['version', 'target', 'name', 'percent'] },
  changeRound: { what: 'firmware', act: 'changed the giving of', says: ['percent', 'state'] },
  createClaim: made('claim'),
  endClaim: deleted('claim', undefined, { act: 'ended' }),
  reopenClaim: { what: 'claim', act: 'opened again', says: ['device'] },
  createDevice: made('device', { of: 'device' }),
  createDevices: { what: 'device', act: 'made many' },
  changeDevice: changed('device', 'readDevice'),
  deleteDevice: deleted('device', 'readDevice'),
  createToken: { what: 'token', act: 'made', says: ['title'] },
  withdrawToken: deleted('token', undefined, { act: 'withdrew' }),
  overrideInterlocks: { what: 'command', act: 'overrode', says: ['stream', 'minutes'] },
  endOverride: { what: 'command', act: 'ended an override' },
  createCommand: { what: 'command', act: 'wanted', says: ['stream', 'value'], gathers: 'keys' },
  createCalibration: { what: 'calibration', act: 'made', says: ['stream', 'calibration', 'from'] },
  deleteCalibration: deleted('calibration'),
  importRows: { what: 'readings', act: 'imported', gathers: 'all' },
  deleteReadings: { what: 'readings', act: 'deleted', says: ['stream', 'from', 'to'] },
  reportByHand: { what: 'readings', act: 'reported by hand', gathers: 'all' },
  retake: { what: 'readings', act: 'took refused messages again' },
  createNote: made('note'),
  deleteNote: deleted('note'),
  createDashboard: made('dashboard'),
  createStarterDashboard: made('dashboard'),
  createKindDashboard: made('dashboard'),
  changeDashboard: changed('dashboard', 'readDashboard', { gathers: 'all' }),
  deleteDashboard: deleted('dashboard', 'readDashboard'),
  createRule: made('rule'),
  changeRule: changed('rule', 'readRule'),
  deleteRule: deleted('rule', 'readRule'),
  mute: { what: 'mute', act: 'muted', says: ['sort', 'target', 'until', 'reason'] },
  unmute: deleted('mute', undefined, { act: 'ended' }),
  createWebhook: { what: 'webhook', act: 'made', says: ['title'] },
  deleteWebhook: deleted('webhook'),
  createTimetable: made('timetable'),
  changeTimetable: changed('timetable', 'readTimetable'),
  deleteTimetable: deleted('timetable', 'readTimetable'),
  acknowledgeEvent: { what: 'event', act: 'acknowledged', says: ['remark'] },
  commentEvent: { what: 'event', act: 'said something of', says: ['text'] },
  closeEvent: { what: 'event', act: 'closed', says: ['remark'] },
  changeEvents: { what: 'event', act: 'acknowledged or closed several', says: ['events', 'act', 'remark'] },
  askAddress: { what: 'address', act: 'asked' },
  offerDevice: { what: 'device', act: 'offered to another workspace', says: ['keepsTokens'] },
  withdrawOffer: { what: 'device', act: 'withdrew the offer of' },
  readOffer: null,
  // Written down on both sides where it is done.
  takeDevice: null,
  // Each step is written down by itself.
  applyFile: null,
  planFile: null,
  // Of oneself.
  changeMe: null,
  changePassword: null,
  changeEmail: null,
  confirmEmail: null,
  askReset: null,
  reset: null,
  machineReset: null,
  machineFactorOff: null,
  endSession: null,
  endSessions: null,
  newFactor: null,
  useFactor: null,
  endFactor: null,
  deleteAccount: null,
  chooseWorkspace: null,
  createWorkspace: null,
  changeMyAlerts: null,
  testAlert: null,
  addPushPlace: null,
  removePushPlace: null,
  createKey: { what: 'key', act: 'made', says: ['title', 'scope', 'deviceId', 'days'] },
  deleteKey: deleted('key', undefined, { act: 'ended' }),
  leaveWorkspace: { what: 'person', act: 'left' },
  // Of nobody, or nothing is changed.
  createAccount: null,
  signIn: null,
  signOut: null,
  openShared: null,
  previewLink: null,
  readJoin: null,
  tryComputation: null,
  tryRule: null,
  useAlertLink: null,
  commentAlertLink: null,
  whoseToken: null,
  // Written down where it is done: in the workspace that is joined.
  join: null,
  joinHere: null,
};

/** Fields that are never written down, whatever they hold. */
const SECRET = /secret|password|passphrase|token|credential|address|hash|^(code|codes|link|csv|text|key_)$/i;
/** Fields that say nothing of what somebody changed. */
const UNSAID =
  /^(id|userId|createdAt|madeBy|at|by|version|changedAt|changedBy|newest|lastSeenAt|presence|connected|proof|about|openEvents|pictureAt|shows|waiting|opened|openedAt|seenAt)$/;
const MOST_LETTERS = 2000;
const GATHER_MS = 300_000;

const isFields = (value: unknown): value is Fields =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** Without what is secret, at any depth; long values are cut. */
function scrubbed(value: unknown): unknown {
  const inner = (one: unknown): unknown => {
    if (Array.isArray(one)) return one.map(inner);
    if (!isFields(one)) return one;
    return Object.fromEntries(
      Object.entries(one)
        .filter(([name]) => !SECRET.test(name))
        .map(([name, each]) => [name, inner(each)]),
    );
  };
  const clean = inner(value);
  const text = JSON.stringify(clean) ?? 'null';
  return text.length <= MOST_LETTERS ? (clean ?? null) : `${text.slice(0, MOST_LETTERS)} …`;
}

/** What differs between two states of a thing, field by field; of a new one all that it holds. */
export function differences(before: unknown, after: unknown): ChangeRow['details'] {
  const [from, to] = [isFields(before) ? before : {}, isFields(after) ? after : {}];
  return [...new Set([...Object.keys(from), ...Object.keys(to)])]
    .filter((field) => !SECRET.test(field) && !UNSAID.test(field))
    .filter((field) => !isDeepStrictEqual(from[field], to[field]))
    .map((field) => ({ field, from: scrubbed(from[field]), to: scrubbed(to[field]) }))
    .filter(({ from: a, to: b }) => !(a === null && b === null));
}

/** Runs a call and writes down what it changed, by whom, from what to what. */
export async function recorded(
  { store, handlers, log }: { store: Store; handlers: Handlers; log: Logger },
  name: EndpointName,
  call: Call<never>,
  work: () => Promise<unknown>,
): Promise<unknown> {
  const entry = RECORDED[name] ?? null;
  const { scope } = call as { scope: Scope | null };
  const body = call.body as unknown;
  // Trying what something would do changes nothing.
  if (entry === null || scope === null || (isFields(body) && body.try === true)) return work();
  const read = async (): Promise<unknown> => {
    if (entry.before === undefined || entry.before === 'told') return null;
    const handler = handlers[entry.before] as (call: Call<never>) => Promise<unknown>;
    const whole = await handler(call).catch(() => null);
    return partOf(entry, whole);
  };
  const found = await read();
  const result = await work();
  const before = entry.before === 'told' ? call.before : found;
  const after = entry.gone === true ? null : (partOf(entry, result) ?? null);
  const said = Object.fromEntries(
    (entry.says ?? []).flatMap((field) => {
      const value = isFields(body) ? body[field] : undefined;
      return value === undefined ? [] : [[field, value]];
    }),
  );
  const details = entry.says === undefined ? differences(before, after) : differences(null, said);
  const target = Object.values(call.params).at(-1) ?? '';
  const named = [after, before].find(isFields) ?? {};
  const title = String(named.title ?? named.name ?? (isFields(body) ? (body.title ?? body.name) : '') ?? '');
  const change = {
    what: entry.what,
    act: entry.act,
    target: String(target || (named.id ?? '')).slice(0, 80),
    title: title.slice(0, 80),
    details,
    gathers: entry.gathers === 'all' || (entry.gathers === 'keys' && scope.pass.kind === 'key'),
  };
  // It is done, and its answer may hold what is shown once only: that is not lost for want of a line about it.
  await write(store, scope, change).catch((error: Error) =>
    log.warn({ err: error, change: `${change.what} ${change.act}` }, 'a change was not written down'),
  );
  return result;
}

/** The thing that a call is about, in the answer of a call that reads or makes it. */
function partOf({ of }: Recorded, whole: unknown): unknown {
  return of === undefined || !isFields(whole) ? whole : (whole[of] ?? whole);
}

interface Written extends Pick<ChangeRow, 'what' | 'act' | 'target' | 'title' | 'details'> {
  gathers?: boolean;
}

/** Writes one change down. */
export async function write(
  store: Store,
  scope: Pick<Scope, 'workspaceId' | 'userId' | 'userName' | 'pass'>,
  { gathers = false, ...change }: Written,
): Promise<void> {
  const { workspaceId, userId, pass } = scope;
  const who = pass.kind === 'key' ? `${scope.userName} (access key ${pass.title})` : scope.userName;
  const at = clockNow();
  if (gathers) {
    const [last] = await listIn(store.models.changes, workspaceId, { order: [['id', 'DESC']], limit: 1 });
    if (
      last !== undefined &&
      last.who === who &&
      last.what === change.what &&
      last.target === change.target &&
      last.act === change.act &&
      at - last.at < GATHER_MS
    ) {
      const from = new Map(last.details.map((one) => [one.field, one.from]));
      const fields = new Map(last.details.map((one) => [one.field, one]));
      for (const one of change.details)
        fields.set(one.field, { ...one, from: from.has(one.field) ? from.get(one.field) : one.from });
      await store.models.changes.update(
        { at, title: change.title, details: JSON.stringify([...fields.values()]) as never },
        { where: { id: last.id } },
      );
      return;
    }
  }
  await addTo(store.models.changes, workspaceId, { at, userId: userId || null, who, ...change });
}
