import { isRefusal, MOST_REFUSALS, refusal, refuseShape, type Refusal } from '@peatmoor/core';
import { aboutSchema, fieldProblems } from '@peatmoor/contract';
import { ValidationError } from 'yup';
import type { Bus } from '../bus';
import type { DeviceEntry } from '../registry';
import type { Store } from '../store/store';
import { now as clockNow } from '../clock';

/** Letters of what a board says of itself at the most. */
const MOST_LETTERS = 16_384;

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
      const known = Object.keys(aboutSchema.fields);
      for (const [name, value] of Object.entries(parsed)) {
        if (refused.length >= MOST_REFUSALS) break;
        if (!known.includes(name)) {
          refused.push(
            refusal(name, 'no-meaning', `"${name.slice(0, 40)}" is not kept; known are ${known.join(', ')}.`),
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
      // Merged by the database, in one statement: two messages at once lose nothing of each other.
      const said = JSON.stringify({ ...kept, at: clockNow() });
      await store.withConnection((connection) =>
        connection.execute(
          "UPDATE devices SET about = JSON_MERGE_PATCH(IF(JSON_VALID(about), about, '{}'), ?) WHERE rowId = ? AND workspaceId = ?",
          [said, entry.rowId, entry.workspaceId],
        ),
      );
      // Other nodes read it with the change of its kind, which is when it matters.
      if (typeof kept.keeps === 'string') entry.keeps = kept.keeps;
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
    const parsed: unknown = JSON.parse(text.slice(0, MOST_LETTERS + 1));
    const deep = refuseShape(parsed);
    if (deep !== null) return deep;
    if (parsed !== null && typeof parsed === 'object' && !Array.isArray(parsed))
      return parsed as Record<string, unknown>;
  } catch {
    // Said below, with what is expected.
  }
  return refusal('', 'unreadable', 'A JSON object such as {"firmware": "1.2", "signal": -67} is expected.');
}
