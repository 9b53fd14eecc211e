import type { AlertRow } from '../../store/models';

/** One person or address that alerts go to, and by which channel. `version` is that of the channel's storage, from 1. */
export interface Recipient {
  channel: string;
  to: string;
  version: number;
}

/** Sends alerts by one channel. */
export interface Sender {
  /** Resolves when it has gone out. Throws, with what to do about it, where it has not. */
  send(alert: AlertRow): Promise<void>;
  close(): void;
}

/** An alert that no further try will bring: its message says what is missing. */
export class CannotBeSent extends Error {}

/** One way of reaching people. A channel is a file. */
export interface AlertChannel {
  name: string;
  version: number;
  /** Brings a recipient stored by an earlier version to this one. */
  upgrade?(recipient: Recipient): Recipient;
}
