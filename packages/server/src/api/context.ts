import type { Request, Response } from 'express';
import type { Address, AnswerOf, BodyOf, EndpointName } from '@peatmoor/contract';
import type { Logger } from 'pino';
import type { Sender } from '../alerts/channels';
import type { Mailer } from '../alerts/channels/email';
import type { Links } from '../alerts/links';
import type { Sealer } from '../auth/secrets';
import type { PushKeys } from '../alerts/secrets';
import type { Bus } from '../bus';
import type { CommandBook } from '../commands/commands';
import type { Recomputing } from '../computing/recompute';
import type { Config } from '../config';
import type { FirmwareBook } from '../definitions/firmware';
import type { Corrections } from '../history/corrections';
import type { Clearing } from '../history/deleting';
import type { Folding } from '../history/folding';
import type { JournalWriter } from '../journal/writer';
import type { HistoryReader } from '../history/read';
import type { Recent } from '../history/recent';
import type { ArrivalBook } from '../ingest/arrivals';
import type { TokenUse } from '../presence/tokenUse';
import type { Verbs } from '../ingest/verbs';
import type { PresenceBook } from '../presence/presence';
import { notFound } from '../problems';
import type { DeviceEntry, Registry } from '../registry';
import type { AllParts } from '../journal/parts';
import { narrowed, seesDevice } from '../sharing/reach';
import type { Nodes } from '../nodes';
import type { Watched } from '../watch/troubles';
import type { Store } from '../store/store';
import type { Timetables } from '../timetables/worker';
import type { PutOff } from '../history/deleting';
import type { Scope } from './scope';

/** The parts of the service that API calls are answered from. */
export interface ApiParts {
  config: Config;
  store: Store;
  bus: Bus;
  registry: Registry;
  presence: PresenceBook;
  arrivals: ArrivalBook;
  verbs: Verbs;
  tokenUse: TokenUse;
  journal: JournalWriter;
  corrections: Corrections;
  folding: Folding;
  clearing: Clearing;
  /** Where one transaction does many calls: devices are deleted at its end. */
  putOff?: PutOff;
  commands: CommandBook;
  recent: Recent;
  history: HistoryReader;
  recomputing: Recomputing;
  rules: AllParts;
  timetables: Timetables;
  firmware: FirmwareBook;
  mailer: Mailer;
  links: Links;
  sealer: Sealer;
  /** True for what stands in the data folder for whoever owns the machine. */
  isMachineKey(key: string): boolean;
  pushKeys: PushKeys;
  senders: ReadonlyMap<string, Sender>;
  log: Logger;
  /** Alerts were written: they are sent soon. */
  wakeAlerts(): void;
  /** Answers by the newest certificate of the folder from now on, where it answers by one at all. */
  renewCertificate(): Promise<void>;
  /** What the service looks at of itself: disk, backups, certificate, clock. */
  watched: Watched;
  /** The services on this database. */
  nodes: Pick<Nodes, 'list'>;
  address(): Address;
}

/** One call: who makes it, and what came with it, already validated. */
export interface Call<N extends EndpointName> {
  scope: Scope;
  params: Record<string, string>;
  query: Record<string, unknown>;
  body: BodyOf<N>;
  request: Request;
  response: Response;
  /** What it was before, where the call that changes it says so for the record of changes. */
  before?: unknown;
}

/** The functions that answer calls, by the names of the contract. */
export type Handlers = { [N in EndpointName]: (call: Call<N>) => Promise<AnswerOf<N>> };

/** A number in a path, or the 404 that a wrong one deserves. */
export function numberOf(text: string | undefined, what: string): number {
  const number = Number(text);
  if (!Number.isSafeInteger(number) || number < 1) throw notFound(what, text ?? '');
  return number;
}

/** The device a path names, as far as the caller sees it, or 404. */
export async function deviceOf(
  parts: Pick<ApiParts, 'registry'>,
  scope: Scope,
  id: string | undefined,
): Promise<DeviceEntry> {
  const entry = await parts.registry.byId(scope.workspaceId, (id ?? '').slice(0, 80));
  if (entry === null || !seesDevice(scope, entry.rowId)) throw notFound('device', id ?? '');
  return narrowed(scope, entry);
}
