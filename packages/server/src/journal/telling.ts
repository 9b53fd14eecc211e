import type { Fact } from '@peatmoor/core';
import type { Logger } from 'pino';
import type { Registry } from '../registry';
import type { JournalWriter } from './writer';

/** What happens with a device beside its readings. */
export type DeviceFact = Extract<Fact, { device: number }>;

/** Journals what happens with devices, in the part of each one's workspace, as long as the journal takes something. */
export function createTelling(
  journal: JournalWriter,
  registry: Registry,
  log: Logger,
): (fact: DeviceFact) => void {
  const say = (workspaceId: number, fact: DeviceFact): void => {
    if (journal.takes()) journal.addFact(workspaceId, fact);
  };
  return (fact) => {
    // Where all goes to one part, nobody need be asked.
    if (journal.parts === 1) say(0, fact);
    else
      registry
        .byRow(fact.device)
        .then((entry) => entry && say(entry.workspaceId, fact))
        .catch((error: Error) =>
          log.warn({ err: error, kind: fact.kind }, 'what happened with a device is not journalled'),
        );
  };
}
