import { storeCondition } from '@peatmoor/core';
import type { Client } from '@peatmoor/contract';
import { createConnection } from 'mariadb';
import type { Sender } from './generator';

/** Devices of one kind, each with its token, ready to send. */
export async function makeSenders(client: Client, name: string, count: number): Promise<Sender[]> {
  const kind = await client.call('createKind', {
    body: { title: name, streams: [{ key: 'level', title: 'Level', type: 'number' }] },
  });
  const csv = `name,kind\n${Array.from({ length: count }, (_, i) => `${name} ${i},${kind.id}`).join('\n')}`;
  const devices = await client.call('createDevices', { body: { csv } });
  return devices.map(({ id, token }) => ({
    user: id,
    password: token,
    topic: `moor/${id}/report`,
    next: 0,
    open: new Set(),
  }));
}

/**
 * Adds active rules straight into the records, as making them one by one would take minutes: one for each device that is
 * there, the rest on the first hundred. Those whose name begins with "Watched" report nothing meanwhile.
 */
export async function addRules(
  database: { socketPath: string; user: string; password: string; database: string },
  count: number,
): Promise<number> {
  const connection = await createConnection(database);
  try {
    const devices = (await connection.query(
      "SELECT rowId, workspaceId, id LIKE 'watched%' AS watched FROM devices ORDER BY rowId",
    )) as { rowId: number; workspaceId: number; watched: number }[];
    const idle = devices.filter(({ watched }) => Number(watched) === 1);
    const rows = Array.from({ length: count }, (_, i) => {
      const { workspaceId, rowId } = devices[i] ?? idle[i % idle.length]!;
      const settings = { comparison: 'above', limit: 1e12 + i, holdMs: 0, closeLimit: null, closeHoldMs: 0 };
      return [
        workspaceId,
        `Rule ${i}`,
        'notice',
        rowId,
        'level',
        'above',
        JSON.stringify(storeCondition('above', settings)),
        '[]',
        1,
      ];
    });
    await connection.batch(
      'INSERT INTO rules (workspaceId, title, severity, deviceRowId, streamKey, sort, settings, recipients, active) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)',
      rows,
    );
    return count;
  } finally {
    await connection.end();
  }
}
