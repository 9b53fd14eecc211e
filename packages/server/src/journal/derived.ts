import { BatchBuilder, packBatch, type Batch } from '@peatmoor/core';
import type { Connection } from 'mariadb';
import { seeingAll, type Store } from '../store/store';
import type { Committed } from './writer';
import { openWriter } from './writers';
import { now as clockNow } from '../clock';

/**
 * A second writer of this process, for readings that are made from others: they are journalled in the transaction that
 * keeps how far their maker has come, so that a crash neither loses nor doubles them.
 */
export interface DerivedWriter {
  readonly id: number;
  /** Writes readings on a connection with an open transaction; `settle` tells afterwards whether it was committed. */
  stage(connection: Connection, part: number, readings: BatchBuilder): Promise<Committed>;
  settle(committed: Committed): void;
  /** To be called after a transaction failed: it may have been committed though nobody heard of it. */
  find(connection: Connection, part: number): Promise<void>;
}

export async function openDerivedWriter(store: Store): Promise<DerivedWriter> {
  const id = await openWriter(store);
  const seqs = new Map<number, number>();
  const seqOf = (part: number): number => seqs.get(part) ?? 0;
  return {
    id,
    async stage(connection, part, readings) {
      const batch: Batch = readings.batch();
      const bytes = packBatch(batch);
      await connection.execute(
        'INSERT INTO journal (writer, part, seq, committedAt, body) VALUES (?, ?, ?, ?, ?)',
        [
          id,
          part,
          seqOf(part) + 1,
          clockNow(),
          Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength),
        ],
      );
      return { writer: id, part, seq: seqOf(part) + 1, batch, facts: [], others: [] };
    },
    settle: ({ part, seq }) => void seqs.set(part, seq),
    async find(connection, part) {
      // Asked at another node of a cluster perhaps, which may not have heard of it yet.
      const [row] = await seeingAll(
        connection,
        async () =>
          (await connection.query(
            'SELECT COALESCE(MAX(seq), 0) AS seq FROM (SELECT seq FROM journal WHERE writer = ? AND part = ? UNION ALL SELECT seq FROM journalOffsets WHERE writer = ? AND part = ?) known',
            [id, part, id, part],
          )) as { seq: number }[],
      );
      seqs.set(part, Math.max(seqOf(part), Number(row!.seq)));
    },
  };
}
