import {
  isPending,
  nextCommandState,
  showReading,
  showValue,
  type CommandHappening,
  type CommandState,
} from '@peatmoor/core';
import type { Command } from '@peatmoor/contract';
import type { Bus } from '../bus';
import { now as clockNow } from '../clock';
import type { DeviceEntry } from '../registry';
import type { CommandRow } from '../store/models';
import { changeIn, findOne } from '../store/rows';
import type { DeviceFact } from '../journal/telling';
import type { Store } from '../store/store';
import type { BoardHasBook } from './boardHas';
import type { Runs } from './runs';

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

/** Letters of why a command is over. */
const LONGEST_NOTE = 200;

/** States in which nothing more is waited for. */
const ENDS_FOLLOWING: ReadonlySet<CommandState> = new Set([
  'confirmed',
  'not-confirmed',
  'refused',
  'expired',
  'not-known',
]);

interface LifeParts {
  store: Store;
  bus: Bus;
  tell: (fact: DeviceFact) => void;
  runs: Runs;
  has: BoardHasBook;
  /** Told up to when a command must be followed. */
  onFollow: (until: number) => void;
  /** Told of what a rule wanted and was not done. */
  onUndone: (entry: DeviceEntry, row: CommandRow) => void;
}

export function createCommandLife({
  store,
  bus,
  tell,
  runs,
  has,
  onFollow,
  onUndone,
}: LifeParts): CommandLife {
  const { commands } = store.models;
  const pending = new Map<string, number>();
  const place = (deviceRowId: number, streamId: number): string => `${deviceRowId}:${streamId}`;
  const life: CommandLife = {
    describe: (entry, row) => {
      const stream = entry.streams.find(({ streamId }) => streamId === row.streamId);
      const value = valueOf(row);
      return {
        id: row.id,
        deviceId: entry.id,
        stream: stream?.key ?? '?',
        value,
        text: stream === undefined ? String(value) : showValue(stream, value),
        state: row.state,
        by: row.userName,
        createdAt: row.createdAt,
        sentAt: row.sentAt,
        appliedAt: row.appliedAt,
        until: row.until,
        confirmedAt: row.confirmedAt,
        follow: followOf(entry, row),
        note: row.note,
      };
    },
    announce: (entry, row) =>
      bus.emit('live', {
        workspaceId: entry.workspaceId,
        message: { type: 'command', command: life.describe(entry, row) },
      }),
    async happen(entry, row, happening, said = '') {
      const note = said.slice(0, LONGEST_NOTE);
      const state = nextCommandState(row.state, happening);
      if (state === null) return;
      const now = clockNow();
      const change: Partial<CommandRow> = {
        state,
        note,
        ...(state === 'sent' && { sentAt: now }),
        ...(state === 'applied' && { appliedAt: now, sentAt: row.sentAt ?? now }),
        ...((state === 'sent' || state === 'applied') &&
          row.followS !== null && { followUntil: now + row.followS * 1000 }),
        ...(ENDS_FOLLOWING.has(state) && { followUntil: null }),
        ...(state === 'confirmed' && { confirmedAt: now, sentAt: row.sentAt ?? now }),
      };
      const control = entry.streams.find(({ streamId }) => streamId === row.streamId);
      // Before it is written down that the board knows: where this fails, it is told again.
      if ((state === 'sent' || state === 'applied') && control !== undefined)
        await runs.told(entry, control, valueOf(row), row.id);
      const changed = await changeIn(commands, entry.workspaceId, { id: row.id, state: row.state }, change);
      if (changed === 0) {
        // Something else happened to it at the same moment: an answer of the board may overtake the note that it was sent.
        const current = await findOne(commands, { id: row.id });
        if (current !== null && current.state !== row.state)
          await life.happen(entry, current, happening, note);
        return;
      }
      if (!isPending(state)) pending.delete(place(row.deviceRowId, row.streamId));
      // What is measured as it must be is there, whether the board says so or not.
      if (state === 'confirmed' && control?.holds === 'lasting')
        await has.note(entry, control, valueOf(row), now);
      if (state === 'applied') tell({ kind: 'applied', device: entry.rowId, at: now, command: row.id });
      if (state === 'confirmed' || state === 'not-confirmed') {
        const { stream, value } = life.describe(entry, row);
        const shown = entry.streams.find(({ key }) => key === stream);
        const text = `${shown?.title ?? stream} ${shown === undefined ? value : showReading(shown, value)}${note && `: ${note}`}`;
        tell({ kind: state, device: entry.rowId, at: now, command: row.id, key: stream, text });
      }
      if (row.eventId !== null && (state === 'not-confirmed' || state === 'refused'))
        onUndone(entry, { ...row, ...change });
      if (change.followUntil !== undefined && change.followUntil !== null) onFollow(change.followUntil);
      life.announce(entry, { ...row, ...change });
    },
    pendingOf: (deviceRowId, streamId) => pending.get(place(deviceRowId, streamId)),
    notePending: ({ id, deviceRowId, streamId }) => void pending.set(place(deviceRowId, streamId), id),
  };
  return life;
}

/** What must follow a command, as it is told; null for nothing, or where it is gone. */
function followOf(
  entry: DeviceEntry,
  { followStreamId, followMin: min, followMax: max, followUntil: until }: CommandRow,
): Command['follow'] {
  const measured = entry.streams.find(({ streamId }) => streamId === followStreamId);
  return measured === undefined ? null : { stream: measured.key, min, max, until };
}
