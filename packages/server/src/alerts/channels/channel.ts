import type { Logger } from 'pino';
import type { Bus } from '../../bus';
import type { CommandBook } from '../../commands/commands';
import type { Config } from '../../config';
import type { Registry } from '../../registry';
import type { AlertRow, EventRow, RuleRow } from '../../store/models';
import type { Store } from '../../store/store';
import type { Links } from '../links';
import type { PushKeys } from '../secrets';

/** One person or address that alerts go to, and by which channel. `version` is that of the channel's storage, from 1. */
export interface Recipient {
  channel: string;
  to: string;
  version: number;
}

/** Alerts that go as one message, in the order in which they came about. `done`: what was steered for its event, a line each. */
export interface Message {
  /** The same at every try. */
  id: string;
  recipient: string;
  workspaceId: number;
  alerts: { alert: AlertRow; event: EventRow; rule: RuleRow | null; done: string[] }[];
}

/** What happened at one step on the way. */
export interface Hop {
  what: string;
  ok: boolean;
  detail: string;
}

/** Sends alerts by one channel. */
export interface Sender {
  /** Resolves when it has gone out, with what was said of it. Throws, with what to do about it, where it has not. */
  send(message: Message): Promise<string>;
  /** Sends something that says it is a test, and tells each step. */
  test?(to: { userId: number; email: string; id?: number; workspaceId: number }): Promise<Hop[]>;
  close(): void;
}

/** An alert that no further try will bring: its message says what is missing. */
export class CannotBeSent extends Error {}

/** What channels are made of. */
export interface ChannelParts {
  config: Config;
  store: Store;
  registry: Registry;
  bus: Bus;
  log: Logger;
  links: Links;
  pushKeys: PushKeys;
  commands: CommandBook;
  /** Draws the readings around an event; null where there is nothing to draw. */
  chartOf(event: EventRow): Promise<Buffer | null>;
  /** Address of the service's pages. */
  publicUrl(): string;
}

/** One way of reaching people, or a name for some of them. A channel is a file. */
export interface AlertChannel {
  name: string;
  version: number;
  /** Brings a recipient stored by an earlier version to this one. */
  upgrade?(recipient: Recipient): Recipient;
  /** True where every alert is a message of its own. */
  alone?: boolean;
  start?(parts: ChannelParts): Sender;
}
