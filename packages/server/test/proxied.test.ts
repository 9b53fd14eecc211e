import net from 'node:net';
import { readProxyHeader } from '../src/listeners/mqtt/proxied';
import { newDevice, newPerson, startService, until } from '../../../test/support/service';

const second = (family: number, address: number[], command = 0x21): Buffer =>
  Buffer.concat([
    Buffer.from([0x0d, 0x0a, 0x0d, 0x0a, 0, 0x0d, 0x0a, 0x51, 0x55, 0x49, 0x54, 0x0a, command, family]),
    Buffer.from([0, address.length * 2 + 4]),
    Buffer.from([...address, ...address, 1, 2, 3, 4]),
  ]);

it('a header of the PROXY protocol says for whom a connection is, and where the session begins', () => {
  const plain = Buffer.from('PROXY TCP4 203.0.113.9 127.0.0.1 5 1883\r\n\x10');
  expect(readProxyHeader(plain)).toEqual({ from: '203.0.113.9', end: plain.length - 1 });
  expect(readProxyHeader(Buffer.from('PROXY UNKNOWN\r\n'))).toEqual({ from: null, end: 15 });
  expect(readProxyHeader(second(0x11, [203, 0, 113, 9]))).toEqual({ from: '203.0.113.9', end: 28 });
  expect(readProxyHeader(second(0x21, [0x20, 1, ...Array(13).fill(0), 1]))).toEqual({
    from: '2001:0:0:0:0:0:0:1',
    end: 52,
  });
  // A balancer that looks whether somebody is there speaks for nobody.
  expect(readProxyHeader(second(0x00, [], 0x20))).toEqual({ from: null, end: 20 });
  for (let n = 1; n < plain.length - 1; n++) expect(readProxyHeader(plain.subarray(0, n))).toBeNull();
  for (const other of ['\x10\x20', 'GET / HTTP/1.1', 'PROXIES', `PROXY ${'x'.repeat(200)}`])
    expect(readProxyHeader(Buffer.from(other, 'latin1'))).toBe(false);
});

it('is believed from a proxy that is trusted, and from nobody else', async () => {
  for (const isTrusted of [true, false]) {
    const service = await startService(isTrusted ? { PEATMOOR_TRUST_PROXY: '127.0.0.1' } : {});
    const { client } = await newPerson(service);
    const { token } = await newDevice(client);
    const connect = Buffer.concat([
      Buffer.from([0x10, 0, 0, 4]),
      Buffer.from('MQTT'),
      Buffer.from([4, 0xc2, 0, 60]),
      ...['board', 'dipwell-north', `${token}x`].flatMap((text) => [
        Buffer.from([0, text.length]),
        Buffer.from(text),
      ]),
    ]);
    connect[1] = connect.length - 2;
    for (const begin of ['PROXY TCP4 203.0.113.9 127.0.0.1 5 1883\r\n', '']) {
      const socket = net.connect(Number(new URL(service.mqttUrl).port), '127.0.0.1');
      socket.on('error', () => undefined);
      socket.resume();
      // In two pieces, as a network may.
      socket.write(begin.slice(0, 9));
      await new Promise((resolve) => setTimeout(resolve, 50));
      socket.write(Buffer.concat([Buffer.from(begin.slice(9)), connect]));
      await new Promise((resolve) => socket.once('close', resolve));
    }
    const seen = await until(
      async () => {
        const found = await client.call('listArrivals', { params: { device: 'dipwell-north' } });
        return found.length >= (isTrusted ? 2 : 1) && found;
      },
      'the arrivals',
      8000,
    );
    expect(seen.map(({ from }) => from).sort()).toEqual(
      isTrusted ? ['127.0.0.1', '203.0.113.9'] : ['127.0.0.1'],
    );
    await service.stop();
  }
}, 60_000);
