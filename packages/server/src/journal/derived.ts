import { BatchBuilder, packBatch, type Batch } from '@peatmoor/core';
import type { Connection } from 'mariadb';
import type { Store } from '../store/store';
import { openWriter, type Committed } from './writer';
import { now as clockNow } from '../clock';

/**
 * A second writer of this process, for readings that are made from others: they are journalled in the transaction that
 * keeps how far their maker has come, so that a crash neither loses nor doubles them.
 */
export interface DerivedWriter {
  readonly id: number;
  /** Writes readings on a connection with an open transaction; `settle` tells afterwards whether it was committed. */
  stage(connection: Connection, readings: BatchBuilder): Promise<Committed>;
  settle(committed: Committed): void;
  /** To be called after a transaction failed: it may have been committed though nobody heard of it. */
  find(connection: Connection): Promise<void>;
}

export async function openDerivedWriter(store: Store): Promise<DerivedWriter> {
  const id = await openWriter(store);
  let seq = 0;
  return {
    id,
    async stage(connection, readings) {
      const batch: Batch = readings.batch();
      const bytes = packBatch(batch);
      await connection.execute(
        'INSERT INTO journal (writer, part, seq, committedAt, body) VALUES (?, 0, ?, ?, ?)',
        [id, seq + 1, clockNow(), Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength)],
      );
      return { writer: id, part: 0, seq: seq + 1, batch, facts: [], others: [] };
    },
    settle: (committed) => void (seq = committed.seq),
    async find(connection) {
      // Asked at another node of a cluster perhaps, which may not have heard of it yet.
      await connection.query('SET SESSION wsrep_sync_wait = 1').catch(() => undefined);
      const [row] = (await connection.query(
        'SELECT COALESCE(MAX(seq), 0) AS seq FROM (SELECT seq FROM journal WHERE writer = ? UNION ALL SELECT seq FROM journalOffsets WHERE writer = ?) known',
        [id, id],
      )) as { seq: number }[];
      await connection.query('SET SESSION wsrep_sync_wait = 0').catch(() => undefined);
      seq = Math.max(seq, Number(row!.seq));
    },
  };
}
