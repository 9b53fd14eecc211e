import type { Fact } from '@peatmoor/core';
import type { JournalWriter } from '../journal/writer';
import { unavailable } from '../problems';
import type { RuleWorker } from './worker';

/** What happens to events is written by the one worker that reads the journal: it is told there, and waited for. */
export async function tellRules(
  { journal, rules }: { journal: JournalWriter; rules: RuleWorker },
  facts: readonly Fact[],
): Promise<void> {
  if (!journal.takes()) throw unavailable();
  for (const fact of facts) journal.addFact(fact);
  await new Promise<void>((resolve) => journal.onDurable(() => resolve()));
  await rules.settled();
}
