import type { AlertChannel } from './channel';

/** Everybody who has just this role in the workspace: each is reached as they chose. */
export const role: AlertChannel = { name: 'role', version: 1 };
