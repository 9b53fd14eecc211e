import type { Connection } from 'mariadb';
import { setTimeout as sleep } from 'node:timers/promises';
import type { Cluster } from './cluster';
import type { Load } from './load';

/** After so long without an acknowledgement it is looked what stands, in ms. */
const STILL_MS = 5000;
const MOST_LINES = 30;

/**
 * Looks, whenever nothing has been acknowledged for a while, what the database nodes wait for: whose transactions are open, and at
 * what. Gives what was seen, once for each time.
 */
export function watchStillness(cluster: Cluster, load: Load): { stop(): string[] } {
  let stopped = false;
  const seen: string[] = [];
  let told = false;
  const look = async (): Promise<void> => {
    while (!stopped) {
      await sleep(500);
      const stillFor = load.stillFor();
      if (stillFor < STILL_MS) told = false;
      else if (!told) {
        told = true;
        const of = await Promise.all(
          cluster.databases.map((_, i) => openAt(cluster, i).catch((error: Error) => [error.message])),
        );
        seen.push(
          `after ${(stillFor / 1000).toFixed(1)} s without an acknowledgement:`,
          ...of.flatMap((lines, i) => lines.slice(0, MOST_LINES).map((line) => `  node ${i + 1}: ${line}`)),
        );
      }
    }
  };
  void look();
  return {
    stop() {
      stopped = true;
      return seen;
    },
  };
}

async function openAt(cluster: Cluster, index: number): Promise<string[]> {
  const connection: Connection = await cluster.connect(index);
  try {
    const status = (await connection.query(
      "SHOW STATUS WHERE Variable_name IN ('wsrep_cluster_status', 'wsrep_local_state_comment', 'wsrep_cluster_size', 'wsrep_flow_control_paused', 'wsrep_local_recv_queue', 'wsrep_local_send_queue')",
    )) as { Variable_name: string; Value: string }[];
    const open = (await connection.query(
      `SELECT p.ID AS id, p.HOST AS host, p.COMMAND AS command, p.TIME_MS AS ms, p.STATE AS state, LEFT(COALESCE(p.INFO, t.trx_query, ''), 140) AS sql_,
          t.trx_state AS trx, t.trx_rows_locked AS locked, t.trx_rows_modified AS modified, TIMESTAMPDIFF(SECOND, t.trx_started, NOW()) AS openFor
        FROM information_schema.PROCESSLIST p LEFT JOIN information_schema.INNODB_TRX t ON t.trx_mysql_thread_id = p.ID
        WHERE p.ID <> CONNECTION_ID() AND (t.trx_id IS NOT NULL OR p.COMMAND NOT IN ('Sleep', 'Daemon')) ORDER BY t.trx_started`,
    )) as Record<string, unknown>[];
    return [
      status.map(({ Variable_name: name, Value: value }) => `${name.slice(6)} ${value}`).join(', '),
      ...open.map((one) => JSON.stringify(one)),
    ];
  } finally {
    await connection.end().catch(() => connection.destroy());
  }
}
