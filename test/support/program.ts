import { spawn, type ChildProcess } from 'node:child_process';
import path from 'node:path';

export const ROOT = path.resolve(__dirname, '../..');
export const built = (name: string, file = 'main.js'): string =>
  path.join(ROOT, 'packages', name, 'dist', file);

export interface Program<T> {
  ready: T;
  child: ChildProcess;
  output(): string;
  /** Ends it as Ctrl-C would, and waits. */
  stop(): Promise<number | null>;
  kill(): Promise<void>;
}

const running = new Set<ChildProcess>();
process.once('exit', () => {
  for (const child of running) child.kill('SIGTERM');
});

/** Starts one of our programs and waits until it prints its line of readiness; rejects with what it printed if it ends. */
export function startProgram<T>(
  file: string,
  environment: Record<string, string>,
  args: string[] = [],
): Promise<Program<T>> {
  const clean = Object.fromEntries(
    Object.entries(process.env).filter(([name]) => !name.startsWith('PEATMOOR_')),
  );
  const child = spawn(process.execPath, [file, ...args], {
    env: { ...clean, ...environment },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  running.add(child);
  let text = '';
  const ended = new Promise<number | null>((resolve) =>
    child.once('close', (code) => {
      running.delete(child);
      resolve(code);
    }),
  );
  return new Promise((resolve, reject) => {
    const look = (part: Buffer): void => {
      text += part.toString();
      const line = text.split('\n').find((one) => one.startsWith('{"ready":true'));
      if (line === undefined || !text.includes(`${line}\n`)) return;
      resolve({
        ready: JSON.parse(line) as T,
        child,
        output: () => text,
        stop: () => (child.kill('SIGINT'), ended),
        kill: async () => {
          child.kill('SIGKILL');
          await ended;
        },
      });
    };
    child.stdout.on('data', look);
    child.stderr.on('data', look);
    void ended.then((code) => reject(Object.assign(new Error(text), { code })));
  });
}
