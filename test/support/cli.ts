import { spawn } from 'node:child_process';
import path from 'node:path';

export interface Outcome {
  code: number | null;
  out: string;
  err: string;
}

/** The command line as the service gives it away: one file. */
export const CLI = path.resolve(__dirname, '../../packages/cli/dist/client/peatmoor.js');

/** Runs the command-line client as a program of its own, with its settings in a folder. */
export function cliIn(folder: string, program = CLI): (...args: string[]) => Promise<Outcome> {
  return (...args) => {
    const child = spawn(process.execPath, [program, ...args], {
      env: { ...process.env, PEATMOOR_CLI_CONFIG: path.join(folder, 'cli.json'), PEATMOOR_PASSWORD: '' },
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    const outcome: Outcome = { code: null, out: '', err: '' };
    child.stdout.on('data', (part: Buffer) => (outcome.out += part.toString()));
    child.stderr.on('data', (part: Buffer) => (outcome.err += part.toString()));
    return new Promise((resolve) => child.once('close', (code) => resolve({ ...outcome, code })));
  };
}
