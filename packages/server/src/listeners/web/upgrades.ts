import type http from 'node:http';
import type { Duplex } from 'node:stream';
import { LIVE_PATH } from '@peatmoor/contract';
import { isForeign } from '../../api/origin';
import { scopeOf, type Scope } from '../../api/scope';
import type { LiveHub } from '../../live/hub';
import { ProblemError } from '../../problems';
import type { Store } from '../../store/store';
import { MQTT_PATH } from '../mqtt/overWeb';

type Upgrade = (request: http.IncomingMessage, socket: Duplex, head: Buffer) => void;

/**
 * Takes what goes on as a WebSocket: open pages and boards. `upgraded` holds their connections, which the server no longer knows
 * but waits for when it closes.
 */
export function createUpgrades({
  store,
  hub,
  mqttOverWeb,
}: {
  store: Store;
  hub: LiveHub;
  mqttOverWeb: Upgrade;
}): { upgrade: Upgrade; upgraded: ReadonlySet<Duplex> } {
  const upgraded = new Set<Duplex>();
  return {
    upgraded,
    upgrade(request, socket, head) {
      upgraded.add(socket);
      socket.on('close', () => upgraded.delete(socket));
      socket.on('error', () => socket.destroy());
      if (request.url?.split('?')[0] === MQTT_PATH) return mqttOverWeb(request, socket, head);
      const anew = (): Promise<Scope | null> =>
        // Signed out, or a passphrase that is asked for by now.
        admitPage(store, request).catch((error: unknown) => {
          if (error instanceof ProblemError) return null;
          throw error;
        });
      anew()
        .then((scope) => {
          if (scope === null) socket.end('HTTP/1.1 401 Unauthorized\r\nConnection: close\r\n\r\n');
          else return hub.upgrade(request, socket, head, scope, anew);
        })
        .catch(() => socket.end('HTTP/1.1 503 Service Unavailable\r\nConnection: close\r\n\r\n'));
    },
  };
}

/** Who asks for the live channel, or null for nobody and for pages of other sites. */
async function admitPage(store: Store, request: http.IncomingMessage): Promise<Scope | null> {
  if (request.url?.split('?')[0] !== LIVE_PATH) return null;
  if (isForeign(request)) return null;
  const scope = await scopeOf(store, request);
  // A key of one device hears nothing of the others.
  return scope === null || scope.only !== null ? null : scope;
}
