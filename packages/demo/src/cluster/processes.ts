import { spawn, type ChildProcess } from 'node:child_process';
import fs from 'node:fs';
import net from 'node:net';
import { setTimeout as sleep } from 'node:timers/promises';

/** A program of the cluster that can be ended, killed and started again in its place. */
export interface Running {
  readonly name: string;
  pid(): number | undefined;
  isUp(): boolean;
  start(): Promise<void>;
  signal(signal: NodeJS.Signals): void;
  /** Ends it in order, and waits. */
  stop(): Promise<void>;
  /** Ends it at once, and waits. */
  kill(): Promise<void>;
}

export interface Command {
  name: string;
  program: string;
  args: () => string[];
  environment?: NodeJS.ProcessEnv;
  logFile: string;
  /** True once it can be used. */
  isReady(): Promise<boolean>;
  readyMs?: number;
  stopSignal?: NodeJS.Signals;
  /** As another user: root's rights are not wanted. */
  uid?: number | undefined;
}

export function createRunning(command: Command): Running {
  let child: ChildProcess | null = null;
  let ended: Promise<void> = Promise.resolve();
  const end = async (signal: NodeJS.Signals): Promise<void> => {
    if (child === null) return;
    child.kill('SIGCONT');
    child.kill(signal);
    const late = setTimeout(() => child?.kill('SIGKILL'), 30_000);
    await ended;
    clearTimeout(late);
  };
  return {
    name: command.name,
    pid: () => child?.pid,
    isUp: () => child !== null,
    async start() {
      const log = fs.openSync(command.logFile, 'a');
      const { uid } = command;
      const started = spawn(command.program, command.args(), {
        env: command.environment ?? process.env,
        stdio: ['ignore', log, log],
        detached: true,
        ...(uid !== undefined && { uid, gid: uid }),
      });
      fs.closeSync(log);
      child = started;
      ended = new Promise<void>((resolve) => {
        started.once('error', () => resolve());
        started.once('exit', () => resolve());
      }).then(() => {
        if (child === started) child = null;
      });
      const before = performance.now();
      while (!(await command.isReady().catch(() => false))) {
        if (child !== started || performance.now() - before > (command.readyMs ?? 60_000))
          throw new Error(`${command.name} does not start; see ${command.logFile}`);
        await sleep(100);
      }
    },
    signal: (signal) => void child?.kill(signal),
    stop: () => end(command.stopSignal ?? 'SIGTERM'),
    kill: () => end('SIGKILL'),
  };
}

/** Lets other users through a folder that a demo may have closed to them, without letting them look into it. */
export const letPass = (folder: string): void =>
  fs.chmodSync(folder, (fs.statSync(folder).mode & 0o7777) | 0o001);

/** The environment without settings of Peatmoor: a program that is started gets its own. */
export const withoutSettings = (): NodeJS.ProcessEnv =>
  Object.fromEntries(Object.entries(process.env).filter(([name]) => !name.startsWith('PEATMOOR_')));

/** Free ports on loopback. */
export async function freePorts(count: number): Promise<number[]> {
  const servers = await Promise.all(
    Array.from(
      { length: count },
      () =>
        new Promise<net.Server>((resolve) => {
          const server = net.createServer();
          server.listen(0, '127.0.0.1', () => resolve(server));
        }),
    ),
  );
  const ports = servers.map((server) => (server.address() as net.AddressInfo).port);
  await Promise.all(servers.map((server) => new Promise((resolve) => server.close(resolve))));
  return ports;
}

/** True where somebody listens at a port of this machine. */
export function listens(port: number): Promise<boolean> {
  return new Promise((resolve) => {
    const socket = net.connect({ host: '127.0.0.1', port });
    socket.once('connect', () => (socket.destroy(), resolve(true)));
    socket.once('error', () => resolve(false));
  });
}
