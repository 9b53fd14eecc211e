import { spawn } from 'node:child_process';

/** Runs a starter program with what it starts itself; `stop` ends all of it. */
export function runProgram(command: string, args: string[]) {
  const child = spawn(command, args, { stdio: ['ignore', 'pipe', 'pipe'], detached: true });
  const ended = new Promise((resolve) => child.once('close', resolve));
  let output = '';
  child.stdout.on('data', (part: Buffer) => (output += part.toString()));
  child.stderr.on('data', (part: Buffer) => (output += part.toString()));
  return {
    output: () => output,
    async stop() {
      // The group: a shell's own children too.
      process.kill(-child.pid!, 'SIGTERM');
      await ended;
    },
  };
}
