import net from 'node:net';
import type { Connection } from 'mariadb';

/** Where a database listens. */
export type Place = { host: string; port: number } | { path: string };

const TICK_MS = 250;
/** How often a database is asked whether it is there, in ticks. */
const EVERY = 4;
/** How long a database may say nothing, in ticks: where another can take over, and where there is only this one. */
const SILENT = { several: 12, one: 20 };

/**
 * Asks each database that has connections here, on a connection apart from the others, whether it answers. One that says nothing for some
 * seconds (its machine is gone without a word, its process stands still) loses all of them at once: whoever waits hears so, instead of
 * waiting for as long as a network forgets.
 */
export interface Pulse {
  /** A socket to a place, looked after from now on. */
  socketTo(place: Place): net.Socket;
  stop(): void;
}

interface Parts {
  several: boolean;
  /** Connects apart from the pool, by this socket. */
  connect(place: Place, socket: () => net.Socket): Promise<Connection>;
  onSilent(place: Place): void;
}

interface Watched {
  place: Place;
  sockets: Set<net.Socket>;
  /** That it is asked by. */
  asking: net.Socket | null;
  /** Ticks since it was asked and has not answered; null while nothing is asked. */
  waits: number | null;
  rests: number;
  own: Connection | null;
}

const open = (place: Place): net.Socket => {
  const socket = 'path' in place ? net.connect(place.path) : net.connect(place.port, place.host);
  return socket.setNoDelay(true);
};

export function startPulse({ several, connect, onSilent }: Parts): Pulse {
  const most = several ? SILENT.several : SILENT.one;
  const watched = new Map<string, Watched>();
  const ask = async (one: Watched): Promise<void> => {
    one.waits = 0;
    try {
      one.own ??= await connect(one.place, () => (one.asking = open(one.place)));
      await one.own.ping();
    } catch {
      // Whoever refuses or ends a connection is not silent.
      one.own = null;
    }
    one.waits = null;
  };
  // Ticks are counted, not the clock: while this process stands still itself, nobody is silent.
  const timer = setInterval(() => {
    for (const one of watched.values()) {
      if (one.waits !== null && ++one.waits > most) {
        onSilent(one.place);
        for (const socket of [...one.sockets, one.asking])
          socket?.destroy(new Error('the database says nothing'));
        one.own = null;
        one.waits = null;
        one.rests = EVERY * 2;
      }
      if (one.waits !== null || one.sockets.size === 0 || --one.rests > 0) continue;
      one.rests = EVERY;
      void ask(one);
    }
  }, TICK_MS).unref();
  return {
    socketTo(place) {
      const name = JSON.stringify(place);
      const one = watched.get(name) ?? {
        place,
        sockets: new Set(),
        asking: null,
        waits: null,
        rests: EVERY,
        own: null,
      };
      watched.set(name, one);
      const socket = open(place);
      one.sockets.add(socket);
      return socket.once('close', () => one.sockets.delete(socket));
    },
    stop() {
      clearInterval(timer);
      for (const { own } of watched.values()) void own?.end().catch(() => undefined);
    },
  };
}
