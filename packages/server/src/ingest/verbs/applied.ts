import { refusal, RefusalList, type DecodedReport, type Refusal } from '@peatmoor/core';
import type { ReportAnswer } from '@peatmoor/contract';
import type { CommandBook } from '../../commands/commands';
import type { DeviceEntry } from '../../registry';

/** Controls of which one message may say what they are now. */
const MOST_NAMES = 200;

/** Takes what a board says that its controls are now: of each name the last. */
export function createApplied(commands: CommandBook) {
  return async (entry: DeviceEntry, decoded: DecodedReport): Promise<ReportAnswer> => {
    const values = new Map<string, string | null>();
    for (const row of decoded.rows)
      for (const [name, raw] of row.values) {
        if (values.size > MOST_NAMES) break;
        values.set(name, plainText(raw));
      }
    if (values.size > MOST_NAMES)
      return {
        accepted: 0,
        refused: [
          refusal(
            '',
            'too-large',
            `More than ${MOST_NAMES} names came in one message; a kind has fewer controls.`,
          ),
        ],
      };
    const refused = new RefusalList();
    let accepted = 0;
    for (const [name, raw] of values) {
      const outcome: Refusal | null = await commands.applied(entry, name, raw);
      if (outcome === null) accepted++;
      else refused.add(outcome);
    }
    return { accepted, refused: refused.told };
  };
}

/** A value as text, as it would come on a topic of its own; null means the value that was asked for. */
function plainText(raw: unknown): string | null {
  if (raw === null || raw === undefined) return null;
  return typeof raw === 'object' ? JSON.stringify(raw) : String(raw);
}
