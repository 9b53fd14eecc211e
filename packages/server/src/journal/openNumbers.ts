import type { Connection } from 'mariadb';

/**
 * A QoS 2 message of an MQTT session that outlasts its connection: what it brought is in the journal, and its board has not said yet
 * that it knows (MQTT 3.1.1 §4.3.3). Sent again under this number it is the same message, at whichever node.
 */
export interface OpenNumber {
  deviceRowId: number;
  /** The session, as its listener names it. */
  client: string;
  number: number;
}

/** Writes them down; to be called in the journal's transaction. Those of sessions that are gone are left out. */
export async function writeOpenNumbers(
  connection: Connection,
  numbers: readonly OpenNumber[],
): Promise<void> {
  await connection.batch(
    'INSERT IGNORE INTO openNumbers (deviceRowId, client, number) VALUES (?, ?, ?)',
    numbers.map(({ deviceRowId, client, number }) => [deviceRowId, client, number]),
  );
}
