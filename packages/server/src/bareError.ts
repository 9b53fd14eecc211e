import { stdSerializers } from 'pino';

interface DatabaseError extends Error {
  code?: string;
  errno?: number;
  sqlMessage?: string;
  /** What the library had of the connector. */
  parent?: DatabaseError;
}

/** What is logged of an error of the database. */
export interface BareError {
  message: string;
  code?: string;
  errno?: number;
  stack?: string;
}

/** An error without the statement and its values: what devices and people sent stays out of the log. */
export function bare(error: unknown): BareError {
  const { message, code, errno, sqlMessage, stack } = error as DatabaseError;
  const said = (sqlMessage ?? message)
    .split('\n')[0]!
    .replace(/'[^']{20,}'/g, "'…'")
    .slice(0, 200);
  return {
    message: said,
    ...(code !== undefined && { code }),
    ...(errno !== undefined && { errno }),
    ...(stack !== undefined && {
      stack: stack
        .split('\n')
        .filter((line) => /^\s+at /.test(line))
        .join('\n'),
    }),
  };
}

/** How errors are written into the log. Those of the database carry rows, with the hashes of secrets in them: only what went wrong is kept. */
export function loggedError(error: unknown): unknown {
  if (!(error instanceof Error)) return error;
  const { parent, stack } = error as DatabaseError;
  // What the library made of it knows from where it was called.
  if (parent instanceof Error) {
    const { message, code, errno, sqlMessage } = parent;
    return bare({ message, code, errno, sqlMessage, stack });
  }
  return 'sqlMessage' in error || 'sqlState' in error ? bare(error) : stdSerializers.err(error);
}
