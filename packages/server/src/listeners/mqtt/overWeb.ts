import type { IncomingMessage } from 'node:http';
import type { Duplex } from 'node:stream';
import { createWebSocketStream, WebSocketServer } from 'ws';
import type { Transport } from './socket';

/** Where MQTT over WebSocket is, on the web port (MQTT 3.1.1 §6). */
export const MQTT_PATH = '/mqtt';
const LARGEST_FRAME = 2 * 1024 * 1024;

/** Takes WebSocket connections that speak MQTT and hands each on as a stream. */
export function createMqttOverWeb(
  accept: (transport: Transport) => void,
): (request: IncomingMessage, socket: Duplex, head: Buffer) => void {
  const server = new WebSocketServer({
    noServer: true,
    maxPayload: LARGEST_FRAME,
    handleProtocols: (protocols) => (protocols.has('mqtt') ? 'mqtt' : false),
  });
  return (request, socket, head) => {
    server.handleUpgrade(request, socket, head, (page) => {
      if (page.protocol !== 'mqtt') return page.close(1002, 'The subprotocol must be mqtt.');
      const stream = createWebSocketStream(page);
      Object.defineProperty(stream, 'remoteAddress', { value: request.socket.remoteAddress });
      accept(stream as unknown as Transport);
    });
  };
}
