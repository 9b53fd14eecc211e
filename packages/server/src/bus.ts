import { EventEmitter } from 'node:events';
import type { LiveMessage } from '@peatmoor/contract';

/** What travels between the parts of the service that is not a reading. */
export interface BusEvents {
  /** Definitions of a workspace changed: kinds, datastreams, devices, tokens. */
  definitions: { workspaceId: number; kindId?: number; deviceRowId?: number };
  /** One rule was made, changed or deleted; without a number, any may have. */
  rules: { workspaceId: number; ruleId?: number };
  /** A wanted value to bring to a device that is connected. */
  wanted: {
    deviceRowId: number;
    name: string;
    value: string;
    commandId: number | null;
    until: number | null;
  };
  /** A token was withdrawn, or a device deleted: its sessions end. */
  dismiss: { deviceRowId: number; tokenId?: number };
  /** Something is to be worked out anew. */
  recompute: { workspaceId: number };
  /** Something for the pages of a workspace. */
  live: { workspaceId: number; message: LiveMessage };
}

/** An interface with an in-process default; across several nodes the same events would travel by a broker. */
export interface Bus {
  emit<N extends keyof BusEvents>(name: N, event: BusEvents[N]): void;
  on<N extends keyof BusEvents>(name: N, listener: (event: BusEvents[N]) => void): void;
}

/** The bus of a single process. */
export function createBus(): Bus {
  const emitter = new EventEmitter();
  emitter.setMaxListeners(100);
  return {
    emit: (name, event) => void emitter.emit(name, event),
    on: (name, listener) => void emitter.on(name, listener),
  };
}
