import { pino, type Logger, type LoggerOptions } from 'pino';
import { loggedError } from './bareError';
import type { Config } from './config';
import { createLogRate } from './logRate';

const MINUTE_MS = 60_000;

/**
 * The service's log: lines of JSON, or readable ones on a terminal. Tokens, keys and cookies are never in it. Of what comes again and
 * again a part is written, and each minute how much was left out.
 */
export function createLog(config: Pick<Config, 'logLevel'>): Logger {
  const rate = createLogRate(() => performance.now());
  let telling = false;
  const options: LoggerOptions = {
    level: config.logLevel,
    base: null,
    serializers: { err: loggedError },
    redact: ['*.token', '*.password', '*.authorization', '*.cookie'],
    hooks: {
      logMethod(args, method) {
        const message = args.find((one): one is string => typeof one === 'string') ?? '';
        if (telling || rate.admits(message)) method.apply(this, args);
      },
    },
  };
  const log = process.stdout.isTTY
    ? pino({
        ...options,
        transport: { target: 'pino-pretty', options: { ignore: 'pid,hostname', translateTime: 'HH:MM:ss' } },
      })
    : pino(options);
  setInterval(() => {
    telling = true;
    for (const [message, lines] of rate.leftOut())
      log.warn({ message, lines }, 'lines were left out of the log');
    telling = false;
  }, MINUTE_MS).unref();
  return log;
}

/** Waits for Ctrl-C, SIGTERM or the end of its terminal, then stops everything in order. A second Ctrl-C or SIGTERM, a second later or more, ends the process at once. */
export function runUntilStopped(stop: () => Promise<void>, say: (text: string) => void): void {
  let since: number | null = null;
  const end = (signal: NodeJS.Signals): void => {
    if (since !== null) {
      // One press may come twice: from the terminal, and from the program that started this one.
      if (signal !== 'SIGHUP' && Date.now() - since > 1000) process.exit(130);
      return;
    }
    since = Date.now();
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
  // Whoever read what is printed may be gone; that is no reason to stop out of order.
  for (const stream of [process.stdout, process.stderr]) stream.on('error', () => undefined);
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.on(signal, end);
}
