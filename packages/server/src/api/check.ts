import net from 'node:net';
import os from 'node:os';
import type { Finding } from '@peatmoor/contract';
import { counted } from '@peatmoor/core';
import { showTime } from '../backup/words';
import { now as clockNow } from '../clock';
import { DEAD_MS } from '../nodes/book';
import { countSetAside } from '../journal/setAside';
import { MOST_CONNECTIONS, type Store } from '../store/store';
import { troublesOf, type Trouble } from '../watch/troubles';
import { VERSION } from '../version';
import type { ApiParts, Handlers } from './context';

const GIB = 2 ** 30;
/** Versions of MariaDB that this was tried with. */
const TRIED = ['10.6', '10.11', '11.4'];

/** Looks at what the service stands on: clock, disk, database, ports and addresses. */
export function checkHandlers(parts: ApiParts): Pick<Handlers, 'check' | 'listTroubles' | 'listNodes'> {
  return {
    listTroubles: () => Promise.resolve(troublesOf(parts.watched)),
    listNodes: async () =>
      (await parts.nodes.list()).map(({ load, ...node }) => ({
        ...node,
        ...load,
        alive: node.silentMs < DEAD_MS,
      })),
    check: async () => ({
      findings: [
        ...itself(parts),
        ...(await database(parts.store, (await parts.nodes.list()).length)),
        ...(await ports(parts)),
        addresses(parts.address().httpUrl),
        await mail(parts),
        push(parts),
        program(),
      ],
    }),
  };
}

const good = (what: string, found: string): Finding => ({ what, state: 'good', found, remedy: '' });

/** Clock, disk, backups and certificate: what is wrong with each, or that it is well. */
function itself({ watched, config }: ApiParts): Finding[] {
  const troubles = troublesOf(watched);
  const { free, total, fullAt } = watched.disk();
  const backup = watched.backups();
  const ends = watched.certificateEnds();
  const day = (at: number): string => showTime(at).slice(0, 10);
  const well: [Trouble['what'], string | null][] = [
    ['clock', `It is ${new Date(clockNow()).toISOString().slice(0, 19)} UTC.`],
    [
      'disk',
      `${(free / GIB).toFixed(1)} GB of ${(total / GIB).toFixed(1)} GB are free under ${config.dataFolder}${fullAt === null ? '' : `; as it goes on it is full on ${day(fullAt)}`}.`,
    ],
    [
      'backup',
      backup === null
        ? null
        : backup.newestAt === null
          ? 'None was made yet; the first is on its way.'
          : `${counted(backup.count, 'backup')}, the newest of ${showTime(backup.newestAt)}.`,
    ],
    ['certificate', ends === null ? null : `The certificate ends on ${day(ends)}.`],
  ];
  return [
    ...well.flatMap(([what, found]): Finding[] => {
      const trouble = troubles.find((one) => one.what === what);
      if (trouble !== undefined) return [trouble];
      return found === null ? [] : [good(what, found)];
    }),
    ...(backup === null
      ? [
          {
            what: 'backup',
            state: 'look' as const,
            found: 'No backups are made by themselves.',
            remedy:
              'Set PEATMOOR_BACKUP_FOLDER, best to a disk of another machine, or make them by "peatmoor backup".',
          },
        ]
      : []),
  ];
}

/** Connections that the services on a database want: each its own, whichever database the others of a cluster fall back on. */
export const connectionsFor = (nodes: number): number => nodes * MOST_CONNECTIONS + SPARE_CONNECTIONS;
/** What is left to people and their tools. */
const SPARE_CONNECTIONS = 10;

async function database(store: Store, nodes: number): Promise<Finding[]> {
  return store.withConnection(async (connection) => {
    const [row] = (await connection.query(
      'SELECT VERSION() AS version, @@innodb_flush_log_at_trx_commit AS flush, @@innodb_buffer_pool_size AS buffer, @@max_connections AS connections',
    )) as { version: string; flush: number; buffer: number; connections: number }[];
    const { version, flush, buffer, connections } = row!;
    const known = TRIED.some((one) => version.startsWith(`${one}.`));
    const findings: Finding[] = [
      known
        ? good('database', `MariaDB ${version}, with ${Math.round(Number(buffer) / 2 ** 20)} MB for pages.`)
        : {
            what: 'database',
            state: 'look',
            found: `MariaDB ${version}; tried are ${TRIED.join(', ')}.`,
            remedy: 'It may work. Keep a backup at hand, and use one of those where you can.',
          },
    ];
    const wanted = connectionsFor(nodes);
    if (Number(connections) < wanted)
      findings.push({
        what: 'database',
        state: 'look',
        found: `It takes ${connections} connections; ${counted(nodes, 'service')} may want ${wanted}.`,
        remedy: `Set max_connections to ${wanted} or more.`,
      });
    if (Number(flush) !== 1)
      findings.push({
        what: 'database',
        state: 'bad',
        found: `innodb_flush_log_at_trx_commit is ${flush}: what is acknowledged may be lost in a power cut.`,
        remedy: 'Set it to 1.',
      });
    const tables = (await connection.query(
      'SELECT TABLE_NAME AS name FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE()',
    )) as { name: string }[];
    const damaged: string[] = [];
    for (const { name } of tables) {
      const told = (await connection.query(`CHECK TABLE \`${name}\` QUICK`)) as {
        Msg_type: string;
        Msg_text: string;
      }[];
      if (
        told.some(
          ({ Msg_type, Msg_text }) => Msg_type === 'error' || (Msg_type === 'status' && Msg_text !== 'OK'),
        )
      )
        damaged.push(name);
    }
    findings.push(
      damaged.length === 0
        ? good('tables', `${counted(tables.length, 'table is', 'tables are')} whole.`)
        : {
            what: 'tables',
            state: 'bad',
            found: `Damaged: ${damaged.join(', ')}.`,
            remedy:
              'Stop the service, keep a copy of its data folder, and restore a backup. The disk may be failing.',
          },
    );
    const { count: aside } = await countSetAside(connection);
    findings.push(
      aside === 0
        ? good('readings', 'None had to be set aside.')
        : {
            what: 'readings',
            state: 'look',
            found: `${counted(aside, 'piece')} could not be handled and were set aside with their bytes, in the table setAside.`,
            remedy: 'Everything else goes on. Keep a backup, and look into the log for why.',
          },
    );
    return findings;
  });
}

async function mail({ mailer, config }: ApiParts): Promise<Finding> {
  const remedy = 'Look at PEATMOOR_SMTP_URL: name, port, and whether it is smtp:// (587) or smtps:// (465).';
  try {
    if ((await mailer.verify()) === true)
      return good('mail', 'The mail server answers, and takes mails from here.');
    return {
      what: 'mail',
      state: 'look',
      found: 'No mail server is set: nobody gets alerts, invitations or resets by mail.',
      remedy: 'Set PEATMOOR_SMTP_URL, and PEATMOOR_MAIL_FROM to an address of yours.',
    };
  } catch (error) {
    // What stands before the host is a name and a password.
    const host = new URL(config.smtpUrl ?? 'smtp://-').host;
    return {
      what: 'mail',
      state: 'bad',
      found: `${host} does not take mails: ${(error as Error).message}`,
      remedy,
    };
  }
}

/** Whether phones can be told: they install the page, and take pushes, only over https. */
function push({ address }: ApiParts): Finding {
  const { httpUrl } = address();
  if (httpUrl.startsWith('https:')) return good('push', 'Phones can install the page and take alerts.');
  return {
    what: 'push',
    state: 'look',
    found: 'Phones take alerts only over https, and the address of this service is plain.',
    remedy: 'Make a certificate by "peatmoor certificate --make", or set one of a public authority.',
  };
}

const LEAST_NODE = [20, 19] as const;
function program(): Finding {
  const [major = 0, minor = 0] = process.versions.node.split('.').map(Number);
  const found = `Peatmoor ${VERSION} on Node.js ${process.versions.node}.`;
  return major > LEAST_NODE[0] || (major === LEAST_NODE[0] && minor >= LEAST_NODE[1])
    ? good('version', found)
    : {
        what: 'version',
        state: 'look',
        found,
        remedy: `Use Node.js ${LEAST_NODE.join('.')} or a later one.`,
      };
}

async function ports({ config, address }: ApiParts): Promise<Finding[]> {
  const { mqttPort, httpUrl } = address();
  const list: [string, number][] = [
    ['HTTP', Number(new URL(httpUrl).port) || 80],
    ['MQTT', mqttPort],
  ];
  const host = config.host === '0.0.0.0' ? '127.0.0.1' : config.host;
  return Promise.all(
    list
      .filter(([, port]) => port > 0)
      .map(async ([name, port]): Promise<Finding> =>
        (await answers(host, port))
          ? good('port', `${name} answers at ${port}.`)
          : {
              what: 'port',
              state: 'look',
              found: `${name} does not answer at ${port} from here.`,
              remedy: 'A proxy in front may use another port; else look whether a firewall is in the way.',
            },
      ),
  );
}

function answers(host: string, port: number): Promise<boolean> {
  return new Promise((resolve) => {
    const socket = net.connect({ host, port, timeout: 2000 });
    const end = (yes: boolean): void => {
      socket.destroy();
      resolve(yes);
    };
    socket.once('connect', () => end(true));
    socket.once('error', () => end(false));
    socket.once('timeout', () => end(false));
  });
}

function addresses(httpUrl: string): Finding {
  const own = Object.values(os.networkInterfaces()).flatMap(
    (list) =>
      list?.flatMap(({ address, family, internal }) => (family === 'IPv4' && !internal ? address : [])) ?? [],
  );
  const isLocal = /\/\/(127\.|localhost)/.test(httpUrl);
  const found = `Boards are told ${httpUrl}. This computer has ${own.join(', ') || 'no address but its own'}.`;
  if (!isLocal) return good('address', found);
  return {
    what: 'address',
    state: 'look',
    found,
    remedy:
      'No board can reach that. Connect the computer to a network, set PEATMOOR_HOST to 0.0.0.0, or set PEATMOOR_PUBLIC_URL.',
  };
}
