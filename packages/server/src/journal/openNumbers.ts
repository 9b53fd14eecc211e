import type { Connection } from 'mariadb';
import { group } from 'd3-array';
import { seeingAll } from '../store/store';

/**
 * A QoS 2 message of an MQTT session that outlasts its connection: what it brought is in the journal, and its board has not said yet
 * that it knows (MQTT 3.1.1 §4.3.3). Sent again under this number it is the same message, at whichever node.
 */
export interface OpenNumber {
  deviceRowId: number;
  /** The session, as its listener names it. */
  client: string;
  number: number;
  /** Which connection of the session it came by: once the board has connected anew, what came before is not taken any more. */
  epoch: number;
}

/** What becomes of a message: it is stored, it was stored before, or its board has gone on at another connection and sends it there. */
export type Outcome = 'taken' | 'known' | 'superseded';

/** The session has gone on at another connection: what came by this one and was not acknowledged is sent there again. */
export class SupersededError extends Error {}

const sessionOf = ({ deviceRowId, client }: Pick<OpenNumber, 'deviceRowId' | 'client'>): string =>
  `${deviceRowId} ${client}`;

/** Which of some numbers of a session are taken and not released. */
async function numbersThere(
  connection: Connection,
  { deviceRowId, client }: Pick<OpenNumber, 'deviceRowId' | 'client'>,
  numbers: readonly number[],
): Promise<number[]> {
  const rows = (await connection.query(
    'SELECT number FROM openNumbers WHERE deviceRowId = ? AND client = ? AND number IN (?)',
    [deviceRowId, client, numbers],
  )) as { number: number }[];
  return rows.map(({ number }) => Number(number));
}

/**
 * True where a message is there, whatever node of a cluster is asked: one that has just taken over may not have heard yet that its number
 * was released. Outside any transaction: inside one a database does not wait for what others have committed.
 */
export const isThere = (connection: Connection, one: OpenNumber): Promise<boolean> =>
  seeingAll(connection, async () => (await numbersThere(connection, one, [one.number])).length > 0);

/**
 * Takes messages in the journal's transaction; where one is not taken, the transaction is begun anew without it. Gives the outcome of each. What excludes the others is
 * written: the row of the session, which also a node of a cluster that was paused cannot pass.
 */
export async function takeNumbers(
  connection: Connection,
  numbers: readonly OpenNumber[],
): Promise<Outcome[]> {
  const outcomes = new Map<OpenNumber, Outcome>();
  // In one order for all who take some, so that nobody waits crosswise.
  const sessions = [...group(numbers, sessionOf)].sort(([a], [b]) => (a < b ? -1 : 1));
  for (const [, own] of sessions) {
    const { deviceRowId, client, epoch } = own[0]!;
    const { affectedRows } = (await connection.execute(
      'UPDATE lastingSessions SET taken = taken + 1, at = NOW(3) WHERE deviceRowId = ? AND client = ? AND epoch = ?',
      [deviceRowId, client, epoch],
    )) as { affectedRows: number };
    const known =
      affectedRows === 0
        ? []
        : await numbersThere(
            connection,
            own[0]!,
            own.map(({ number }) => number),
          );
    const there = new Set(known);
    for (const one of own)
      outcomes.set(
        one,
        affectedRows === 0 || one.epoch !== epoch ? 'superseded' : there.has(one.number) ? 'known' : 'taken',
      );
  }
  const taken = numbers.filter((one) => outcomes.get(one) === 'taken');
  if (taken.length > 0)
    await connection.batch(
      'INSERT INTO openNumbers (deviceRowId, client, number) VALUES (?, ?, ?)',
      taken.map(({ deviceRowId, client, number }) => [deviceRowId, client, number]),
    );
  return numbers.map((one) => outcomes.get(one)!);
}
