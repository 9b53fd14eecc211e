import { isRefusal, refusal, type Refusal } from '@peatmoor/core';
import { aboutSchema, fieldProblems } from '@peatmoor/contract';
import { ValidationError } from 'yup';
import type { Bus } from '../bus';
import type { DeviceEntry } from '../registry';
import { changeIn, oneIn } from '../store/rows';
import type { Store } from '../store/store';

/** What a board says of itself: firmware, board, signal, battery. */
export interface AboutBook {
  /** Keeps it beside what was said before; refuses fields that mean nothing or do not fit. */
  note(entry: DeviceEntry, text: string): Promise<Refusal[]>;
}

export function createAboutBook(store: Store, bus: Bus): AboutBook {
  return {
    async note(entry, text) {
      const parsed = readObject(text);
      if (isRefusal(parsed)) return [parsed];
      const refused: Refusal[] = [];
      const kept: Record<string, unknown> = {};
      for (const [name, value] of Object.entries(parsed)) {
        if (!(name in aboutSchema.fields)) {
          const known = Object.keys(aboutSchema.fields).join(', ');
          refused.push(
            refusal(name, 'no-meaning', `"${name.slice(0, 40)}" is not kept; known are ${known}.`),
          );
          continue;
        }
        try {
          Object.assign(kept, aboutSchema.validateSync({ [name]: value }, { abortEarly: true }));
        } catch (error) {
          if (!(error instanceof ValidationError)) throw error;
          const [problem] = fieldProblems(error);
          refused.push(refusal(name, 'wrong-type', `${name} ${problem?.reason ?? 'does not fit'}.`));
        }
      }
      if (Object.keys(kept).length === 0) return refused;
      const row = await oneIn(store.models.devices, entry.workspaceId, { rowId: entry.rowId });
      if (row === null) return refused;
      const about = { ...row.about, ...kept, at: Date.now() };
      await changeIn(store.models.devices, entry.workspaceId, { rowId: entry.rowId }, { about });
      bus.emit('live', {
        workspaceId: entry.workspaceId,
        message: { type: 'changed', what: 'devices', id: entry.id },
      });
      return refused;
    },
  };
}

function readObject(text: string): Record<string, unknown> | Refusal {
  try {
    const parsed: unknown = JSON.parse(text);
    if (parsed !== null && typeof parsed === 'object' && !Array.isArray(parsed))
      return parsed as Record<string, unknown>;
  } catch {
    // Said below, with what is expected.
  }
  return refusal('', 'unreadable', 'A JSON object such as {"firmware": "1.2", "signal": -67} is expected.');
}
