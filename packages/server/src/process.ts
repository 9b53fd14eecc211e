import { pino, type Logger } from 'pino';
import type { Config } from './config';

/** The service's log: lines of JSON, or readable ones on a terminal. Tokens, keys and cookies are never in it. */
export function createLog(config: Pick<Config, 'logLevel'>): Logger {
  const options = {
    level: config.logLevel,
    base: null,
    redact: ['*.token', '*.password', '*.authorization', '*.cookie'],
  };
  return process.stdout.isTTY
    ? pino({
        ...options,
        transport: { target: 'pino-pretty', options: { ignore: 'pid,hostname', translateTime: 'HH:MM:ss' } },
      })
    : pino(options);
}

/** Waits for Ctrl-C or SIGTERM, then stops everything in order. A second signal ends the process at once. */
export function runUntilStopped(stop: () => Promise<void>, say: (text: string) => void): void {
  let stopping = false;
  const end = (): void => {
    if (stopping) process.exit(130);
    stopping = true;
    say('Stopping: writing down what is under way, then the database …');
    stop().then(
      () => {
        say('Stopped.');
        process.exit(0);
      },
      (error: Error) => {
        say(`Could not stop cleanly: ${error.message}. Nothing acknowledged is lost.`);
        process.exit(1);
      },
    );
  };
  process.on('SIGINT', end);
  process.on('SIGTERM', end);
}
