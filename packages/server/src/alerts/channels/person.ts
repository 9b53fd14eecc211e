import type { AlertChannel } from './channel';

/** A person of the workspace by number: reached as they chose for themselves. */
export const person: AlertChannel = { name: 'person', version: 1 };
