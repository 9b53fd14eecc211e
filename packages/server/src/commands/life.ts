import { isPending, nextCommandState, type CommandHappening, type Fact } from '@peatmoor/core';
import type { Command } from '@peatmoor/contract';
import type { Bus } from '../bus';
import { now as clockNow } from '../clock';
import type { DeviceEntry } from '../registry';
import type { CommandRow } from '../store/models';
import { changeIn, findOne } from '../store/rows';
import type { Store } from '../store/store';

/** The value of a command: a text for a text control, a number for all others. */
export const valueOf = (row: Pick<CommandRow, 'value' | 'textValue'>): number | string =>
  row.textValue ?? row.value;

/** What happens to a command between its making and its end, and who is told. */
export interface CommandLife {
  describe(entry: DeviceEntry, row: CommandRow): Command;
  announce(entry: DeviceEntry, row: CommandRow): void;
  /** Brings a command to the state that a happening leads to; one that leads nowhere changes nothing. */
  happen(entry: DeviceEntry, row: CommandRow, happening: CommandHappening, note?: string): Promise<void>;
  /** The command of a control that still waits for its device, as far as is known in memory. */
  pendingOf(deviceRowId: number, streamId: number): number | undefined;
  notePending(row: Pick<CommandRow, 'id' | 'deviceRowId' | 'streamId'>): void;
}

export function createCommandLife(store: Store, bus: Bus, tell: (fact: Fact) => void): CommandLife {
  const { commands } = store.models;
  const pending = new Map<string, number>();
  const place = (deviceRowId: number, streamId: number): string => `${deviceRowId}:${streamId}`;
  const life: CommandLife = {
    describe: (entry, row) => ({
      id: row.id,
      deviceId: entry.id,
      stream: entry.streams.find((stream) => stream.streamId === row.streamId)?.key ?? '?',
      value: valueOf(row),
      state: row.state,
      by: row.userName,
      createdAt: row.createdAt,
      sentAt: row.sentAt,
      appliedAt: row.appliedAt,
      until: row.until,
      note: row.note,
    }),
    announce: (entry, row) =>
      bus.emit('live', {
        workspaceId: entry.workspaceId,
        message: { type: 'command', command: life.describe(entry, row) },
      }),
    async happen(entry, row, happening, note = '') {
      const state = nextCommandState(row.state, happening);
      if (state === null) return;
      const now = clockNow();
      const change: Partial<CommandRow> = {
        state,
        note,
        ...(state === 'sent' && { sentAt: now }),
        ...(state === 'applied' && { appliedAt: now, sentAt: row.sentAt ?? now }),
      };
      const changed = await changeIn(commands, entry.workspaceId, { id: row.id, state: row.state }, change);
      if (changed === 0) {
        // Something else happened to it at the same moment: an answer of the board may overtake the note that it was sent.
        const current = await findOne(commands, { id: row.id });
        if (current !== null && current.state !== row.state)
          await life.happen(entry, current, happening, note);
        return;
      }
      if (!isPending(state)) pending.delete(place(row.deviceRowId, row.streamId));
      if (state === 'applied') tell({ kind: 'applied', device: entry.rowId, at: now, command: row.id });
      life.announce(entry, { ...row, ...change });
    },
    pendingOf: (deviceRowId, streamId) => pending.get(place(deviceRowId, streamId)),
    notePending: ({ id, deviceRowId, streamId }) => void pending.set(place(deviceRowId, streamId), id),
  };
  return life;
}
