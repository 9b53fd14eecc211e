import { EventEmitter } from 'node:events';
import type { LiveMessage } from '@peatmoor/contract';

/** What travels between the parts of the service that is not a reading. */
export interface BusEvents {
  /** Definitions of a workspace changed: kinds, datastreams, devices, tokens. `all`: any of any workspace may have. */
  definitions: { workspaceId: number; kindId?: number; deviceRowId?: number; all?: boolean };
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
  /** A session of a device opened here: one of the same name elsewhere gives way. */
  opened: { deviceRowId: number; client: string };
  /** The last session of a device here ended. */
  closed: { deviceRowId: number };
  /** A picture came; its bytes are in the database. */
  picture: { series: number; at: number; type: string; size: number };
  /** What devices used of their rates: their rows, and messages. */
  used: { devices: [deviceRowId: number, messages: number][] };
  /** Workspaces whose messages are shown by pages here, as they come; of one of them a page just began to. */
  shown: { workspaces: number[]; begun?: number };
  /** Something is to be worked out anew. */
  recompute: { workspaceId: number };
  /** Something for the pages of a workspace. */
  live: { workspaceId: number; message: LiveMessage };
}

export type BusName = keyof BusEvents;
/** `node` is where it happened; undefined for here. */
type Listener<N extends BusName> = (event: BusEvents[N], node: number | undefined) => void;

/** In one process, and outwards to other nodes where there are some: see nodes/news. */
export interface Bus {
  emit<N extends BusName>(name: N, event: BusEvents[N]): void;
  on<N extends BusName>(name: N, listener: Listener<N>): void;
  /** Hears everything that happened here, to carry it to other nodes. */
  outward: <N extends BusName>(name: N, event: BusEvents[N]) => void;
  /** Something that happened on another node. */
  arrive<N extends BusName>(name: N, event: BusEvents[N], node: number): void;
}

export function createBus(): Bus {
  const emitter = new EventEmitter();
  emitter.setMaxListeners(100);
  const bus: Bus = {
    outward: () => undefined,
    emit(name, event) {
      emitter.emit(name, event, undefined);
      bus.outward(name, event);
    },
    on: (name, listener) => void emitter.on(name, listener),
    arrive: (name, event, node) => void emitter.emit(name, event, node),
  };
  return bus;
}
