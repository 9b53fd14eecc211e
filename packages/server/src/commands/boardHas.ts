import type { Datastream } from '@peatmoor/core';
import { group } from 'd3-array';
import type { BoardHas as Has } from '@peatmoor/contract';
import type { Bus } from '../bus';
import type { DeviceEntry, DeviceStream } from '../registry';
import type { Store } from '../store/store';

/** The same value that is said again within so long changes nothing, in ms. */
const AGAIN_MS = 10_000;

interface HasRow {
  deviceRowId: number;
  streamId: number;
  value: number;
  textValue: string | null;
  at: number;
}

/** What boards have of their controls, as they say it themselves. */
export interface BoardHasBook {
  /** A board says that it has a value. `at`: epoch ms. */
  note(entry: DeviceEntry, control: DeviceStream, value: number | string, at: number): Promise<void>;
}

export function createBoardHas(store: Store, bus: Bus): BoardHasBook {
  return {
    async note(entry, { streamId, key }, value, at) {
      // Held against what is written, not against what this service wrote: another may have written since.
      await store.withConnection((connection) =>
        connection.query(
          `INSERT INTO boardHas (deviceRowId, streamId, workspaceId, value, textValue, at) VALUES (?, ?, ?, ?, ?, ?)
            ON DUPLICATE KEY UPDATE at = IF(value = VALUES(value) AND textValue <=> VALUES(textValue) AND ABS(at - VALUES(at)) < ?, at, VALUES(at)),
              value = VALUES(value), textValue = VALUES(textValue), workspaceId = VALUES(workspaceId)`,
          [
            entry.rowId,
            streamId,
            entry.workspaceId,
            typeof value === 'number' ? value : 0,
            typeof value === 'string' ? value : null,
            at,
            AGAIN_MS,
          ],
        ),
      );
      bus.emit('live', {
        workspaceId: entry.workspaceId,
        message: { type: 'has', device: entry.id, stream: key, at, value },
      });
    },
  };
}

/** What boards of these devices have of their controls, in one query, by device. */
export async function readHas(
  store: Store,
  workspaceId: number,
  deviceRowIds: readonly number[],
): Promise<ReadonlyMap<number, HasRow[]>> {
  if (deviceRowIds.length === 0) return new Map();
  const rows = await store.withConnection(
    async (connection) =>
      (await connection.query(
        'SELECT deviceRowId, streamId, value, textValue, at FROM boardHas WHERE workspaceId = ? AND deviceRowId IN (?)',
        [workspaceId, deviceRowIds],
      )) as HasRow[],
  );
  return group(rows, ({ deviceRowId }) => deviceRowId);
}

/** As it is told of a device: what is still a value of its control. */
export function describeHas(entry: DeviceEntry, rows: readonly HasRow[]): Has[] {
  return rows.flatMap(({ streamId, value, textValue, at }) => {
    const stream = entry.streams.find((one) => one.streamId === streamId);
    if (stream === undefined || stream.direction === 'report') return [];
    const said = textValue ?? value;
    if (typeof said === 'string' ? !isText(stream) : isText(stream)) return [];
    return [{ key: stream.key, at: Number(at), value: said }];
  });
}

const isText = ({ type }: Pick<Datastream, 'type'>): boolean => type === 'text';
