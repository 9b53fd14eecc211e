import type { Logger } from 'pino';
import type { Bus } from '../bus';
import { writeMany, type Store } from '../store/store';
import type { DeviceFact } from '../journal/telling';
import { createSaving } from '../journal/saving';
import { latestPossible, now as clockNow } from '../clock';

/** What makes a value a press: it is told up to a time (epoch ms), and only to whoever takes it, at the moment of telling. */
export interface Press {
  until: number;
  take(): Promise<boolean>;
}

/** One live connection of a device. */
export interface DeviceSession {
  deviceRowId: number;
  tokenId: number;
  /** The name it chose, among those of its device. */
  name: string;
  from: string;
  openedAt: number;
  /**
   * Brings a wanted value to the board, below its own root (`wanted/gate`, `for/well-7/wanted/gate`); resolves once
   * the board has acknowledged it. Rejects where the board has not subscribed to it. A press is not told after its time, and what
   * is still on its way then is cut off with the connection.
   */
  want(path: string, value: string, press: Press | null): Promise<void>;
  /** True where the board has subscribed to it. */
  hears(path: string): boolean;
  close(): void;
}

/** Who is connected and when each device was last heard. */
export interface PresenceBook {
  /** Something else is being written just now: what waits long enough is written beside it. */
  beside(): void;
  seen(deviceRowId: number, at: number): void;
  /** The same of what another node heard, which writes it down. */
  heard(deviceRowId: number, at: number): void;
  lastSeen(deviceRowId: number): number | null;
  /** Its sessions at this node. */
  sessions(deviceRowId: number): ReadonlySet<DeviceSession>;
  /** True where it has a session at any node. */
  isConnected(deviceRowId: number): boolean;
  /** Devices that have a session at this node. */
  here(): Iterable<number>;
  open(session: DeviceSession): void;
  close(session: DeviceSession): void;
  count(): number;
  stop(): Promise<void>;
}

/** How often times of last messages are written down: after a crash they are twice as old at the most. */
const SAVE_MS = 60_000;
const NONE: ReadonlySet<DeviceSession> = new Set();

interface Parts {
  store: Store;
  bus: Bus;
  tell: (fact: DeviceFact) => void;
  /** True where another node holds a connection of a device. */
  isElsewhere: (deviceRowId: number) => boolean;
  /** A device was heard, here or by another node. */
  onHeard: (deviceRowId: number) => void;
  log: Logger;
}

/** Keeps presence in memory, tells the journal when a device's first connection opens and its last one ends, and writes the times of last messages down now and then. */
export function startPresence({ store, bus, tell, isElsewhere, onHeard, log }: Parts): PresenceBook {
  const lastSeen = new Map<number, number>();
  const unsaved = new Set<number>();
  const sessions = new Map<number, Set<DeviceSession>>();
  const save = async (): Promise<void> => {
    if (unsaved.size === 0) return;
    const rows = [...unsaved].sort((a, b) => a - b).map((rowId) => [lastSeen.get(rowId)!, rowId]);
    unsaved.clear();
    await writeMany(store, 'UPDATE devices SET lastSeenAt = ? WHERE rowId = ?', rows).catch(
      (error: Error) => {
        for (const [, rowId] of rows) unsaved.add(rowId!);
        log.debug({ err: error }, 'times of last messages wait');
      },
    );
  };
  const saving = createSaving(save, () => SAVE_MS);
  const heard = (deviceRowId: number, at: number): void => {
    const known = lastSeen.get(deviceRowId) ?? 0;
    // One that a wrong clock gave, far ahead, makes place.
    lastSeen.set(deviceRowId, known > latestPossible() ? at : Math.max(at, known));
    onHeard(deviceRowId);
  };
  return {
    beside: saving.beside,
    heard,
    seen(deviceRowId, at) {
      heard(deviceRowId, at);
      unsaved.add(deviceRowId);
    },
    lastSeen: (deviceRowId) => lastSeen.get(deviceRowId) ?? null,
    sessions: (deviceRowId) => sessions.get(deviceRowId) ?? NONE,
    isConnected: (deviceRowId) => sessions.has(deviceRowId) || isElsewhere(deviceRowId),
    here: () => sessions.keys(),
    open(session) {
      const { deviceRowId } = session;
      bus.emit('opened', { deviceRowId, client: session.name });
      const known = sessions.get(deviceRowId);
      if (known !== undefined) return void known.add(session);
      sessions.set(deviceRowId, new Set([session]));
      // One that comes from another node was never away.
      if (!isElsewhere(deviceRowId)) tell({ kind: 'online', device: deviceRowId, at: clockNow() });
    },
    close(session) {
      const known = sessions.get(session.deviceRowId);
      if (known === undefined || !known.delete(session) || known.size > 0) return;
      const { deviceRowId } = session;
      sessions.delete(deviceRowId);
      bus.emit('closed', { deviceRowId });
      if (!isElsewhere(deviceRowId)) tell({ kind: 'offline', device: deviceRowId, at: clockNow() });
    },
    count: () => [...sessions.values()].reduce((sum, one) => sum + one.size, 0),
    async stop() {
      saving.stop();
      await save();
    },
  };
}
