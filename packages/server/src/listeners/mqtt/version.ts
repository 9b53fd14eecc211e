import { parser, type IConnectPacket } from 'mqtt-packet';

/** First byte of a CONNECT, and the level that stands for MQTT 5 (MQTT 5.0 §3.1.2.2). */
const CONNECT = 0x10;
const LEVEL_5 = 5;
/** CONNACK: 0x84, unsupported protocol version, without properties (MQTT 5.0 §3.2.2.2). */
export const UNSUPPORTED = Buffer.from([0x20, 3, 0, 0x84, 0]);

export const VERSION_HINT =
  'The program speaks MQTT 5, and the service MQTT 3.1.1. Set protocol version 4 (3.1.1) in the program.';

/** True where what a connection begins with is a CONNECT of MQTT 5. */
export function isVersion5(first: Buffer): boolean {
  if (first[0] !== CONNECT) return false;
  // The remaining length has up to four bytes; then stand two of length, "MQTT", and the level.
  let at = 1;
  while (at < 5 && (first[at] ?? 0) >= 128) at++;
  return first.toString('latin1', at + 3, at + 7) === 'MQTT' && first[at + 7] === LEVEL_5;
}

/** Who a CONNECT says it is; null where it is not whole. */
export function whoConnects(first: Buffer): { userName: string; password: string } | null {
  let found: IConnectPacket | null = null;
  const reading = parser({ protocolVersion: 5 });
  reading.on('packet', (packet) => {
    if (packet.cmd === 'connect') found ??= packet;
  });
  reading.on('error', () => undefined);
  try {
    reading.parse(first);
  } catch {
    return null;
  }
  if (found === null) return null;
  const { username, password } = found as IConnectPacket;
  return { userName: username ?? '', password: password?.toString('utf8') ?? '' };
}
