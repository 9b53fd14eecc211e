import net from 'node:net';
import type { Client } from '@peatmoor/contract';
import { generate, parser } from 'mqtt-packet';
import { median } from './measure';

const AT_ONCE = 200;
const COMMANDS = 50;

/** What very many idle connections cost, and whether all still works with them. */
export interface IdleFigures {
  connections: number;
  openedMs: number;
  /** Resident memory of the service with them, less that before, in MB. */
  memoryMb: number;
  /** Devices that the service says are online. */
  online: number;
  /** Sessions that were still open at the end. */
  open: number;
  /** From the call that wants a value until the board has it: the middle and the longest, in ms. */
  commandMs: number;
  slowestMs: number;
  /** Devices online after all connections were closed. */
  onlineAfter: number;
}

/** Opens connections of as many devices, each subscribed to its wanted values, and leaves them idle. */
export async function idleConnections(
  client: Client,
  mqttPort: number,
  count: number,
  memory: () => number,
): Promise<IdleFigures> {
  const kind = await client.call('createKind', {
    body: {
      title: 'Idle',
      intervalS: 600,
      streams: [{ key: 'pump', title: 'Pump', type: 'boolean', direction: 'control' }],
    },
  });
  const devices: { id: string; token: string }[] = [];
  while (devices.length < count) {
    const names = Array.from(
      { length: Math.min(1000, count - devices.length) },
      (_, i) => `Idle ${devices.length + i}`,
    );
    const csv = `name,kind\n${names.map((name) => `${name},${kind.id}`).join('\n')}`;
    devices.push(...(await client.call('createDevices', { body: { csv } })));
  }
  const before = memory();
  const start = performance.now();
  const heard = new Map<string, () => void>();
  const sockets: net.Socket[] = [];
  for (let i = 0; i < devices.length; i += AT_ONCE)
    sockets.push(
      ...(await Promise.all(devices.slice(i, i + AT_ONCE).map((device) => connect(mqttPort, device, heard)))),
    );
  const openedMs = performance.now() - start;
  await new Promise((resolve) => setTimeout(resolve, 3000));
  const isOnline = async (): Promise<number> =>
    (await client.call('listDevices')).filter(({ connected, kindId }) => connected && kindId === kind.id)
      .length;
  const online = await isOnline();
  const memoryMb = memory() - before;
  const times: number[] = [];
  for (let n = 0; n < COMMANDS; n++) {
    const { id } = devices[Math.floor((n * devices.length) / COMMANDS)]!;
    const asked = performance.now();
    const arrived = new Promise<void>((resolve, reject) => {
      const timer = setTimeout(
        () => reject(new Error(`no command reached ${id} within ten seconds`)),
        10_000,
      );
      heard.set(id, () => (clearTimeout(timer), resolve()));
    });
    await client.call('createCommand', {
      params: { device: id },
      body: { stream: 'pump', value: n % 2 === 0 },
    });
    await arrived;
    times.push(performance.now() - asked);
  }
  const open = sockets.filter(({ destroyed }) => !destroyed).length;
  for (const socket of sockets) socket.destroy();
  await new Promise((resolve) => setTimeout(resolve, 3000));
  return {
    connections: count,
    openedMs,
    memoryMb,
    online,
    open,
    commandMs: median(times),
    slowestMs: Math.max(...times),
    onlineAfter: await isOnline(),
  };
}

/** One board: connects, subscribes, acknowledges all that is wanted, and says nothing else. */
async function connect(
  port: number,
  { id, token }: { id: string; token: string },
  heard: Map<string, () => void>,
): Promise<net.Socket> {
  const socket = net.connect(port, '127.0.0.1');
  const bytes = (packet: Parameters<typeof generate>[0]): void => void socket.write(generate(packet));
  bytes({
    cmd: 'connect',
    protocolId: 'MQTT',
    protocolVersion: 4,
    clientId: id,
    clean: true,
    keepalive: 0,
    username: id,
    password: Buffer.from(token),
  });
  const packets = parser();
  const welcomed = new Promise<void>((resolve, reject) => {
    socket.once('error', reject);
    packets.on('packet', (packet) => {
      if (packet.cmd === 'connack') resolve();
      if (packet.cmd !== 'publish') return;
      bytes({ cmd: 'puback', messageId: packet.messageId! });
      if (packet.topic.endsWith('/pump')) heard.get(id)?.();
    });
  });
  socket.on('data', (part: Buffer) => void packets.parse(part));
  await welcomed;
  bytes({ cmd: 'subscribe', messageId: 1, subscriptions: [{ topic: `moor/${id}/wanted/#`, qos: 1 }] });
  socket.on('error', () => socket.destroy());
  return socket;
}
