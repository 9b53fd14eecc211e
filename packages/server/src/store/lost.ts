import { BaseError as SequelizeError, ConnectionError } from 'sequelize';

/** Errors of the server that say nothing about the statement: it stops, starts, is full, or takes no changes just now. */
const PASSING = new Set([
  1040, 1047, 1053, 1077, 1079, 1152, 1158, 1159, 1160, 1161, 1180, 1184, 1203, 1290, 1836, 1927, 2006, 2013,
  3024,
]);
/** The disk is full, or cannot be written. */
const NO_ROOM = new Set([1021, 1026, 1114, 1030, 1041, 1037]);

interface DatabaseError {
  errno?: number;
  fatal?: boolean;
  code?: string;
  parent?: { fatal?: boolean; errno?: number };
}

/** True where the connection was lost or could not be had: the statement itself may be right. */
export function isLostConnection(error: Error): boolean {
  const { fatal, code, errno, parent } = error as DatabaseError;
  const number = errno ?? parent?.errno;
  return (
    error instanceof ConnectionError ||
    fatal === true ||
    parent?.fatal === true ||
    code === 'ER_GET_CONNECTION_TIMEOUT' ||
    (number !== undefined && PASSING.has(number)) ||
    (error instanceof SequelizeError && /connect|socket|acquire/i.test(error.message)) ||
    /ConnectionManager was closed|pool is (draining|closed)|acquire timeout/i.test(error.message)
  );
}

/** True where the database undid a statement or a transaction because of another one: tried again it may do. */
export function isConflict(error: unknown): boolean {
  const { errno, parent } = error as DatabaseError;
  const number = errno ?? parent?.errno;
  return number === 1213 || number === 1205;
}

/** A table is missing, or its files are damaged: what needs it stands still until somebody mends it. */
const DAMAGED = new Set([
  126, 127, 130, 134, 135, 144, 145, 1017, 1033, 1034, 1035, 1146, 1194, 1195, 1712, 1812, 1813, 1877, 1932,
  1946,
]);

/** True where a table of the database is missing or damaged. */
export function isDamaged(error: unknown): boolean {
  const { errno, parent } = error as DatabaseError;
  const number = errno ?? parent?.errno;
  return number !== undefined && DAMAGED.has(number);
}

/** What to do about that. */
export const MEND =
  'Stop the service, keep a copy of its data folder, and restore a backup with "peatmoor restore". The disk may be failing.';

/** Why a service could not start, in a sentence for whoever started it; what the database said to whom is for the log. */
export function whyNotStarted(error: Error): string {
  if (!isDamaged(error))
    return error.message.replace(/^\(conn:[^)]*\) /, '').replace(/\n\s*sql: [\s\S]*$/, '');
  const table = tableIn(error.message);
  return `${table === null ? 'A table' : `The table "${table}"`} of the database is missing or damaged, and the service cannot start without it${table === 'journal' ? ': it holds the newest readings' : ''}. Nothing was changed. ${MEND}`;
}

/** The table that a message of the database names; null for none. */
export function tableIn(message: string): string | null {
  return /[Tt]able ['`"]?(?:\.\/)?(?:\w+['`"]?[./]['`"]?)?(\w+)['`"]?/.exec(message)?.[1] ?? null;
}

/** True where a statement was ended because it took longer than any should (max_statement_time). */
function tookTooLong(error: unknown): boolean {
  const { errno, parent } = error as DatabaseError;
  return (errno ?? parent?.errno) === 1969;
}

/** True where something failed for the moment, whatever it was: it is not told as done or refused, so that it comes again. */
export function failedForNow(error: Error): boolean {
  return cannotWrite(error) || isConflict(error) || isDamaged(error) || tookTooLong(error);
}

/** True where nothing can be written just now, whatever it is. */
export function cannotWrite(error: Error): boolean {
  const { errno, parent } = error as DatabaseError;
  const number = errno ?? parent?.errno;
  return isLostConnection(error) || (number !== undefined && NO_ROOM.has(number));
}
