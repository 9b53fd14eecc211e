import type { Connection } from 'mariadb';
import { showTime } from './words';

/** Statements after which nothing old happens, with what each is about. */
const CALM: [what: string, statement: string, values?: (note: string) => unknown[]][] = [
  [
    'alerts that waited',
    "UPDATE alerts SET state = 'stopped', error = ? WHERE state = 'waiting'",
    (note) => [note],
  ],
  ['reminders', 'UPDATE events SET remindAt = NULL, escalateAt = NULL WHERE closedAt IS NULL'],
  // The newest wanted value of each control counts, whatever became of it: none is told again unless a person wants it.
  [
    'wanted values',
    `UPDATE commands c JOIN (SELECT MAX(id) AS id FROM commands GROUP BY deviceRowId, streamId) n
      SET c.state = 'expired', c.note = ?, c.followUntil = NULL
      WHERE (c.id = n.id OR c.state IN ('waiting', 'sent')) AND c.state NOT IN ('refused', 'expired', 'not-known')`,
    (note) => [note],
  ],
  ['timetables', 'UPDATE timetables SET nextAt = NULL, note = ? WHERE active = 1', (note) => [note]],
  ['rounds of programs', "UPDATE firmwareRounds SET state = 'stopped' WHERE state = 'going'"],
  // What rules have not seen yet is past; folding and computing go on with it.
  [
    'readings that rules have not seen',
    "INSERT INTO journalOffsets (reader, writer, part, seq) SELECT 'rules', writer, part, MAX(seq) FROM journal GROUP BY writer, part ON DUPLICATE KEY UPDATE seq = GREATEST(seq, VALUES(seq))",
  ],
  ['overrides of interlocks', 'DELETE FROM overrides'],
  ['how long controls run and rest', 'DELETE FROM runs'],
  ['sessions', 'DELETE FROM sessions'],
  ['connections', 'DELETE FROM connections'],
  ['nodes', 'DELETE FROM nodes'],
  ['news between nodes', 'DELETE FROM news'],
  ['leases', 'UPDATE leases SET until = NOW(3) - INTERVAL 1 SECOND'],
  ['answers kept for repeated calls', 'DELETE FROM repeats'],
];

/** Sees to it that nothing old happens once the service starts; gives how many of each there were. */
export async function calm(connection: Connection, madeAt: number): Promise<Record<string, number>> {
  const note = `Let go: the service was restored from a backup of ${showTime(madeAt)}.`;
  const counts: Record<string, number> = {};
  await connection.beginTransaction();
  for (const [what, statement, values] of CALM) {
    const { affectedRows } = (await connection.query(statement, values?.(note) ?? [])) as {
      affectedRows: number;
    };
    counts[what] = affectedRows;
  }
  await connection.commit();
  return counts;
}
