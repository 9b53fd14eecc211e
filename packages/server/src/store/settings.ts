import { counted } from '@peatmoor/core';
import { QueryTypes, type Sequelize } from 'sequelize';

/** The database cannot hold what Peatmoor promises; its message says which setting, and what it should be. */
export class DatabaseSettingError extends Error {}

interface Variables {
  durable: number;
  packet: number;
  readOnly: number;
}

/** Bytes of one statement that must fit: a picture with all around it, and a full commit of the journal. */
const LEAST_PACKET = 4 * 1024 * 1024;

/** Looks at a database before anything is kept in it. Throws DatabaseSettingError. */
export async function refuseSettings(sequelize: Sequelize): Promise<void> {
  const [found] = await sequelize.query<Variables>(
    'SELECT @@innodb_flush_log_at_trx_commit AS durable, @@max_allowed_packet AS packet, @@read_only AS readOnly',
    { type: QueryTypes.SELECT },
  );
  const { durable, packet, readOnly } = found!;
  const wrong = (what: string, remedy: string): never => {
    throw new DatabaseSettingError(`The database ${what}. ${remedy}`);
  };
  if (Number(durable) !== 1)
    wrong(
      `may lose what it has said it holds (innodb_flush_log_at_trx_commit is ${durable})`,
      'Set innodb_flush_log_at_trx_commit=1 and start again.',
    );
  if (Number(packet) < LEAST_PACKET)
    wrong(
      `takes statements of ${counted(packet, 'byte')} at most, too few for a picture`,
      `Set max_allowed_packet to ${LEAST_PACKET} or more and start again.`,
    );
  if (Number(readOnly) !== 0)
    wrong('is read-only', 'Give PEATMOOR_DATABASE_URL the server that takes changes.');
}
