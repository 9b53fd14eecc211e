import type { Fact } from '@peatmoor/core';
import type { AllParts } from '../journal/parts';
import type { JournalWriter } from '../journal/writer';
import { unavailable } from '../problems';

/** What happens to events is written by the one worker that reads the journal: it is told there, and waited for. */
export async function tellRules(
  { journal, rules }: { journal: JournalWriter; rules: AllParts },
  workspaceId: number,
  facts: readonly Fact[],
): Promise<void> {
  if (!journal.takes()) throw unavailable();
  for (const fact of facts) journal.addFact(workspaceId, fact);
  await new Promise<void>((resolve) => journal.onDurable(() => resolve()));
  await rules.settled();
}
