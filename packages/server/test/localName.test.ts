import createMdns from 'multicast-dns';
import { pino } from 'pino';
import { announce } from '../src/listeners/localName';

const log = pino({ level: 'silent' });
/** Only within this machine: there may be no network. */
const over = '127.0.0.1';
const ports = () => ({ http: 8420, mqtt: 1883 });

/** What is answered to a question in the local network. */
function ask(
  name: string,
  type: 'A' | 'PTR' | 'SRV',
): Promise<{ name: string; type: string; data: unknown }[]> {
  const mdns = createMdns({ interface: over, bind: '0.0.0.0' });
  return new Promise((resolve) => {
    const end = (answers: { name: string; type: string; data: unknown }[]): void => {
      clearTimeout(timer);
      mdns.destroy(() => resolve(answers));
    };
    const timer = setTimeout(() => end([]), 2000);
    mdns.on('response', ({ answers }) => {
      if (answers.some((one) => one.name === name)) end(answers as never);
    });
    mdns.query({ questions: [{ name, type }] });
  });
}

it('tells its place by name, and by what it offers', async () => {
  const own = `moss-${process.pid}`;
  const made = await announce(own, ports, log, { over, addresses: () => ['192.0.2.7'] });
  try {
    expect(made.name).toBe(`${own}.local`);
    expect(await ask(`${own}.local`, 'A')).toEqual([
      expect.objectContaining({ name: `${own}.local`, type: 'A', data: '192.0.2.7' }),
    ]);
    const offered = await ask(`${own}._mqtt._tcp.local`, 'SRV');
    expect(offered[0]).toMatchObject({ data: { port: 1883, target: `${own}.local` } });
    // Somebody else of the same name takes the next.
    const second = await announce(own, ports, log, { over, addresses: () => ['192.0.2.8'] });
    expect(second.name).toBe(`${own}-2.local`);
    const both = await ask(`${own}-2._mqtt._tcp.local`, 'SRV');
    expect(both[0]).toMatchObject({ data: { target: `${own}-2.local` } });
    await second.stop();
  } finally {
    await made.stop();
  }
  expect(await ask(`${own}.local`, 'A')).toEqual([]);
});
