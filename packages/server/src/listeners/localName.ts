import os from 'node:os';
import createMdns, { type ResponseOutgoingPacket } from 'multicast-dns';
import type { Logger } from 'pino';

/** Seconds for which whoever asked may remember an answer. */
const REMEMBER_S = 120;
/** How long another of the same name has to say that it is there. */
const ASK_MS = 700;
const MOST_NAMES = 9;

type Answer = ResponseOutgoingPacket['answers'][number];

export interface Announced {
  /** By what the service is known in the local network, such as `peatmoor.local`; null where it tells no name. */
  name: string | null;
  stop: () => Promise<void>;
}

/**
 * Announces the service by name in the local network (RFC 6762, RFC 6763), so that boards find it though a router gives it
 * another address. Where somebody else has the name, the next one is taken: `peatmoor-2.local`. A network in which that
 * cannot be told costs a line in the log and nothing more. `over`: the address of the one network to tell it in; all otherwise.
 */
export async function announce(
  wanted: string,
  ports: () => { http: number; mqtt: number },
  log: Logger,
  { addresses = ownAddresses, over }: { addresses?: () => string[]; over?: string } = {},
): Promise<Announced> {
  const nothing: Announced = { name: null, stop: () => Promise.resolve() };
  let mdns: ReturnType<typeof createMdns>;
  try {
    mdns = createMdns(over === undefined ? undefined : { interface: over, bind: '0.0.0.0' });
  } catch (error) {
    log.warn({ err: error }, 'the service cannot be announced in the local network');
    return nothing;
  }
  let failed = false;
  const trouble = (error: Error): void => {
    if (!failed) log.warn({ err: error }, 'the service cannot be announced in the local network');
    failed = true;
  };
  // The library tells of errors by events: unheard ones would end the process.
  mdns.on('error', trouble);
  mdns.on('warning', trouble);
  const stop = (): Promise<void> => new Promise((resolve) => mdns.destroy(() => resolve()));

  let name = '';
  for (let i = 1; i <= MOST_NAMES && !failed; i++) {
    const one = `${i === 1 ? wanted : `${wanted}-${i}`}.local`;
    if (!(await isTaken(mdns, one, addresses()))) {
      name = one;
      break;
    }
  }
  if (name === '') {
    await stop();
    return nothing;
  }
  const service = (kind: string): string => `${name.replace('.local', '')}.${kind}`;
  const place = (): Answer[] =>
    addresses().map((data): Answer => ({ name, type: 'A', ttl: REMEMBER_S, data }));
  const answersTo = (asked: string, kind: string): Answer[] => {
    const { http, mqtt } = ports();
    if (asked === name && (kind === 'A' || kind === 'ANY')) return place();
    for (const [type, port] of [
      ['_http._tcp.local', http],
      ['_mqtt._tcp.local', mqtt],
    ] as const) {
      const srv: Answer = {
        name: service(type),
        type: 'SRV',
        ttl: REMEMBER_S,
        data: { port, target: name, priority: 0, weight: 0 },
      };
      if (asked === type && (kind === 'PTR' || kind === 'ANY'))
        return [{ name: type, type: 'PTR', ttl: REMEMBER_S, data: service(type) }, srv, ...place()];
      if (asked === service(type)) return [srv, ...place()];
    }
    return [];
  };
  mdns.on('query', ({ questions }) => {
    const answers = questions.flatMap(({ name: asked, type }) => answersTo(asked.toLowerCase(), type));
    if (answers.length > 0) mdns.respond({ answers });
  });
  mdns.respond({ answers: place() });
  log.info({ name }, 'announced in the local network');
  return { name, stop };
}

/** True where somebody at another address says that the name is theirs. */
function isTaken(mdns: ReturnType<typeof createMdns>, name: string, own: string[]): Promise<boolean> {
  return new Promise((resolve) => {
    const end = (taken: boolean): void => {
      clearTimeout(timer);
      mdns.off('response', look);
      resolve(taken);
    };
    const look = ({ answers }: { answers: { name: string; type: string; data?: unknown }[] }): void => {
      if (answers.some((one) => one.name === name && one.type === 'A' && !own.includes(String(one.data))))
        end(true);
    };
    const timer = setTimeout(() => end(false), ASK_MS);
    mdns.on('response', look);
    mdns.query({ questions: [{ name, type: 'A' }] });
  });
}

function ownAddresses(): string[] {
  return Object.values(os.networkInterfaces()).flatMap((list) =>
    (list ?? []).flatMap(({ internal, family, address }) => (internal || family !== 'IPv4' ? [] : [address])),
  );
}
