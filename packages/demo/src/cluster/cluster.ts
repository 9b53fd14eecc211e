import { spawnSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { setTimeout as sleep } from 'node:timers/promises';
import { createConnection, type Connection } from 'mariadb';
import { newestOf } from './newest';
import { createRunning, freePorts, letPass, listens, withoutSettings, type Running } from './processes';
import { unpackPrograms } from './unpack';

/** Three database nodes, a bus, three services and a balancer before them, all on this machine. */
export interface Cluster {
  databases: Running[];
  bus: Running;
  services: Running[];
  balancer: Running;
  httpPort: number;
  mqttPort: number;
  /** Where each service listens itself. */
  servicePorts: { http: number; mqtt: number }[];
  databaseUrl: string;
  databasePorts: number[];
  databaseHosts: string[];
  /** Sets the clock of a service off, by ms. */
  shiftClock(index: number, ms: number): void;
  /** A connection to a database node. */
  connect(index: number): Promise<Connection>;
  password: string;
  /** Everything in its order; the first database node makes the cluster anew where none is up. */
  start(): Promise<void>;
  /** A database node that has gone comes back to the others. */
  rejoin(index: number): Promise<void>;
  stop(): Promise<void>;
}

export interface ClusterOptions {
  folder: string;
  /** Where programs are unpacked. */
  programs: string;
  count?: number;
  httpPort: number;
  mqttPort: number;
  host: string;
  serviceProgram: string;
  /** deploy/balancer.cfg */
  balancerFile: string;
  environment: Record<string, string>;
  /** Runs once the databases are up and before any service is. */
  prepare?: (databaseUrl: string) => Promise<void>;
  /** Each database has an address of its own, so that packets to one can be dropped. */
  apart?: boolean;
  /** Clocks of services can be set off. */
  shiftsClocks?: boolean;
  say: (text: string) => void;
}

const PROJECT = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '../../..');

/** How soon a database node that is gone is left by the others, as deploy/galera.cnf has it. */
const LEAVING =
  'evs.keepalive_period=PT0.5S;evs.inactive_check_period=PT0.5S;evs.suspect_timeout=PT2S;evs.inactive_timeout=PT4S;evs.install_timeout=PT4S';

/** `nobody`: as root the transfer between database nodes fails, as its rsync gives up root's rights. */
const NOBODY = 65_534;

export async function createCluster(options: ClusterOptions): Promise<Cluster> {
  const { folder, count = 3, say } = options;
  const programs = unpackPrograms(options.programs, say);
  fs.mkdirSync(folder, { recursive: true });
  const isRoot = process.getuid?.() === 0;
  // Its databases run as nobody then, and pass through the folder above.
  if (isRoot) letPass(path.dirname(folder));
  const secretFile = path.join(folder, 'password');
  if (!fs.existsSync(secretFile)) fs.writeFileSync(secretFile, randomBytes(12).toString('hex'));
  const password = fs.readFileSync(secretFile, 'utf8');
  const ports = await freePorts(count * 6 + 1);
  const take = (): number => ports.pop()!;
  const at = Array.from({ length: count }, () => ({
    sql: take(),
    group: take(),
    ist: take(),
    sst: take(),
    http: take(),
    mqtt: take(),
  }));
  const busPort = take();
  const hostOf = (i: number): string => (options.apart ? `127.0.0.${11 + i}` : '127.0.0.1');
  const shiftFileOf = (i: number): string => path.join(folder, `shift-${i + 1}`);
  const hosts = at.map(({ sql }, i) => `${hostOf(i)}:${sql}`);
  const urlFor = (first: number): string =>
    // Each service has a node of its own, and the others to fall back on.
    `mariadb://moor:${password}@${[...hosts.slice(first), ...hosts.slice(0, first)].join(',')}/peatmoor`;
  const init = path.join(folder, 'init.sql');
  fs.writeFileSync(
    init,
    [
      'CREATE DATABASE IF NOT EXISTS peatmoor CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;',
      `CREATE USER IF NOT EXISTS 'moor'@'127.0.0.%' IDENTIFIED BY '${password}';`,
      "GRANT ALL ON *.* TO 'moor'@'127.0.0.%';",
    ].join('\n'),
  );

  /** True for the one that makes the cluster anew: only where no other is there. */
  let makesAnew: number | null = null;
  let startsAt: string | null = null;
  const connectTo = (index: number, connectTimeout: number, database?: string): Promise<Connection> =>
    createConnection({
      host: hostOf(index),
      port: at[index]!.sql,
      user: 'moor',
      password,
      connectTimeout,
      bigIntAsNumber: true,
      ...(database !== undefined && { database }),
    });
  const state = async (index: number): Promise<string> => {
    const connection = await connectTo(index, 1000);
    try {
      const [row] = (await connection.query("SHOW STATUS LIKE 'wsrep_local_state_comment'")) as {
        Value: string;
      }[];
      return row?.Value ?? '';
    } finally {
      connection.end().catch(() => undefined);
    }
  };
  const databases = at.map(({ sql, group, ist, sst }, i) => {
    const data = path.join(folder, `database-${i + 1}`);
    if (!fs.existsSync(data)) install(data);
    return createRunning({
      name: `database ${i + 1}`,
      program: '/usr/sbin/mariadbd',
      args: () => [
        '--no-defaults',
        `--datadir=${data}`,
        `--socket=${path.join(data, 's.sock')}`,
        `--pid-file=${path.join(data, 'server.pid')}`,
        `--port=${sql}`,
        `--bind-address=${hostOf(i)}`,
        '--skip-name-resolve',
        '--binlog-format=ROW',
        '--innodb-autoinc-lock-mode=2',
        '--innodb-flush-log-at-trx-commit=1',
        '--innodb-buffer-pool-size=96M',
        '--max-allowed-packet=64M',
        '--max-connections=200',
        '--performance-schema=OFF',
        '--wsrep-on=ON',
        `--wsrep-provider=${programs.galera}`,
        '--wsrep-cluster-name=peatmoor',
        `--wsrep-cluster-address=gcomm://${makesAnew === i ? '' : at.map((one, n) => `${hostOf(n)}:${one.group}`).join(',')}`,
        `--wsrep-node-address=${hostOf(i)}`,
        `--wsrep-node-name=node${i + 1}`,
        '--wsrep-sst-method=rsync',
        `--wsrep-sst-receive-address=${hostOf(i)}:${sst}`,
        `--wsrep-provider-options=base_host=${hostOf(i)};base_port=${group};gmcast.listen_addr=tcp://${hostOf(i)}:${group};ist.recv_addr=${hostOf(i)}:${ist};gcache.size=64M;pc.recovery=TRUE;${LEAVING}`,
        ...(makesAnew === i ? [`--init-file=${init}`] : []),
        ...(makesAnew === i && startsAt !== null ? [`--wsrep-start-position=${startsAt}`] : []),
      ],
      environment: programs.environment,
      logFile: path.join(folder, `database-${i + 1}.log`),
      isReady: async () => (await state(i)) === 'Synced',
      readyMs: 120_000,
      uid: isRoot ? NOBODY : undefined,
    });
  });
  if (isRoot) spawnSync('chown', ['-R', `${NOBODY}:${NOBODY}`, folder]);
  const bus = createRunning({
    name: 'bus',
    program: programs.redis,
    args: () => ['--port', String(busPort), '--bind', '127.0.0.1', '--save', '', '--appendonly', 'no'],
    environment: programs.environment,
    logFile: path.join(folder, 'bus.log'),
    isReady: () => listens(busPort),
  });
  const services = at.map(({ http, mqtt }, i) =>
    createRunning({
      name: `service ${i + 1}`,
      program: process.execPath,
      args: () => [options.serviceProgram],
      environment: {
        ...withoutSettings(),
        PEATMOOR_HOST: '127.0.0.1',
        PEATMOOR_DATA: path.join(folder, `service-${i + 1}`),
        PEATMOOR_HTTP_PORT: String(http),
        PEATMOOR_MQTT_PORT: String(mqtt),
        PEATMOOR_DATABASE_URL: urlFor(i),
        PEATMOOR_JOURNAL_PARTS: '6',
        PEATMOOR_BUS_URL: `redis://127.0.0.1:${busPort}`,
        PEATMOOR_TRUST_PROXY: '127.0.0.1',
        PEATMOOR_PUBLIC_URL: `http://${options.host}:${options.httpPort}`,
        PEATMOOR_PUBLIC_MQTT_PORT: String(options.mqttPort),
        PEATMOOR_LOG: 'info',
        ...(options.shiftsClocks && {
          NODE_OPTIONS: `--import=${path.join(PROJECT, 'test/support/shiftedClock.mjs')}`,
          SHIFT_FILE: shiftFileOf(i),
        }),
        ...options.environment,
      },
      logFile: path.join(folder, `service-${i + 1}.log`),
      isReady: async () => {
        const answer = await fetch(`http://127.0.0.1:${http}/health`);
        await answer.arrayBuffer();
        return answer.ok;
      },
      stopSignal: 'SIGTERM',
    }),
  );
  const configuration = path.join(folder, 'balancer.cfg');
  fs.writeFileSync(
    configuration,
    balancerConfiguration(fs.readFileSync(options.balancerFile, 'utf8'), {
      ...options,
      services: at.map(({ http, mqtt }) => ({ http, mqtt })),
    }),
  );
  const balancer = createRunning({
    name: 'balancer',
    program: programs.balancer,
    args: () => ['-db', '-f', configuration],
    environment: programs.environment,
    logFile: path.join(folder, 'balancer.log'),
    isReady: () => listens(options.httpPort),
    // Its connections end with it.
    stopSignal: 'SIGTERM',
  });
  const everything = [...databases, bus, ...services, balancer];
  return {
    databases,
    bus,
    services,
    balancer,
    httpPort: options.httpPort,
    mqttPort: options.mqttPort,
    servicePorts: at.map(({ http, mqtt }) => ({ http, mqtt })),
    databaseUrl: urlFor(0),
    databasePorts: at.map(({ sql }) => sql),
    databaseHosts: at.map((_, i) => hostOf(i)),
    shiftClock: (index, ms) => fs.writeFileSync(shiftFileOf(index), String(Math.round(ms))),
    connect: (index) => connectTo(index, 10_000, 'peatmoor'),
    password,
    async start() {
      say('Starting three database nodes …');
      const { index: first, position } = newestOf(
        Array.from({ length: count }, (_, i) => path.join(folder, `database-${i + 1}`)),
        programs,
      );
      makesAnew = first;
      startsAt = position;
      allowAnew(folder, first);
      await databases[first]!.start();
      makesAnew = null;
      startsAt = null;
      for (const [i, one] of databases.entries()) if (i !== first) await one.start();
      await options.prepare?.(urlFor(first));
      say('Starting the bus, three services and the balancer …');
      await bus.start();
      // One after the other: the first brings the tables up to date.
      for (const one of services) await patiently(() => one.start());
      await balancer.start();
    },
    rejoin: (index) => databases[index]!.start(),
    async stop() {
      await balancer.stop();
      await Promise.all(services.map((one) => one.stop()));
      await bus.stop();
      for (const one of [...databases].reverse()) await one.stop();
      for (const one of everything) await one.kill();
    },
  };
}

/** Once more where it did not work, as the system does with a service that ends. */
async function patiently(work: () => Promise<void>): Promise<void> {
  for (let attempt = 1; ; attempt++)
    try {
      return await work();
    } catch (error) {
      if (attempt === 5) throw error;
      await sleep(1000);
    }
}

/** Makes a database folder. */
export function install(data: string): void {
  const user = os.userInfo().username;
  const made = spawnSync(
    'mariadb-install-db',
    [
      '--no-defaults',
      `--datadir=${data}`,
      '--auth-root-authentication-method=socket',
      `--auth-root-socket-user=${user}`,
      '--skip-test-db',
      `--user=${user}`,
    ],
    { encoding: 'utf8' },
  );
  if (made.status !== 0) throw new Error(`A database folder could not be made: ${made.stderr}`);
}

/** The node that was found to be newest may begin a cluster, whatever it wrote of itself. */
function allowAnew(folder: string, index: number): void {
  const file = path.join(folder, `database-${index + 1}`, 'grastate.dat');
  if (!fs.existsSync(file)) return;
  fs.writeFileSync(
    file,
    fs.readFileSync(file, 'utf8').replace(/safe_to_bootstrap:\s*0/, 'safe_to_bootstrap: 1'),
  );
}

/** The balancer's configuration of `deploy`, with addresses of its own. */
export function balancerConfiguration(
  template: string,
  {
    host,
    httpPort,
    mqttPort,
    services,
  }: {
    host: string;
    httpPort: number;
    mqttPort: number;
    services: readonly { http: number; mqtt: number }[];
  },
): string {
  const ports = { 8420: httpPort, 1883: mqttPort };
  return template
    .split('\n')
    .flatMap((line) => {
      const bind = /^ {2}bind :(8420|1883)$/.exec(line);
      if (bind !== null) return [`  bind ${host}:${ports[Number(bind[1]) as 8420 | 1883]}`];
      // Each service has a port of its own for the question whether it is well.
      const server = /^ {2}server node(\d) \S+:(8420|1883)$/.exec(line);
      if (server !== null) {
        const one = services[Number(server[1]) - 1];
        if (one === undefined) return [];
        return [
          `  server node${server[1]} 127.0.0.1:${server[2] === '8420' ? one.http : one.mqtt} port ${one.http}`,
        ];
      }
      return [line];
    })
    .join('\n');
}
