import {
  checkComputation,
  checkFollow,
  isComputationError,
  type Computing,
  type Datastream,
} from '@peatmoor/core';
import { conflict, wrongField } from '../problems';
import type { StreamRow } from '../store/models';
import { listIn } from '../store/rows';
import type { Store } from '../store/store';

type Definition = Pick<Datastream, 'key' | 'type' | 'aliases' | 'choices' | 'computation'>;

/** Refuses a change after which a computed datastream of the kind could not be worked out. `changed` is the one in hand. */
export function checkComputations(streams: readonly Definition[], changed: string, prefix = ''): void {
  for (const stream of streams) {
    if (stream.computation === null || stream.computation === undefined) continue;
    if (stream.key === changed) {
      readyComputation(stream, streams, prefix);
      continue;
    }
    const outcome = checkComputation(stream, streams);
    if (isComputationError(outcome))
      throw conflict(
        `"${stream.key}" is computed and could not be any more: ${outcome.field}${outcome.reason} Change or delete "${stream.key}" first.`,
      );
  }
}

/** Refuses a change after which what must follow a control could not be watched. `changed` is the one in hand. */
export function checkFollows(streams: readonly Datastream[], changed: string, prefix = ''): void {
  for (const stream of streams) {
    if (stream.follow === null || stream.follow === undefined) continue;
    const wrong = checkFollow(stream.follow, stream, streams);
    if (wrong === null) continue;
    if (stream.key === changed)
      throw wrongField(`${prefix}follow.${wrong.field}`, wrong.reason, wrong.remedy);
    throw conflict(
      `"${stream.key}" is confirmed by "${stream.follow.stream}" and could not be any more: ${wrong.reason}. Change "${stream.key}" first.`,
    );
  }
}

/** A computed datastream ready to be worked out; throws 422 with the field that is wrong. */
export function readyComputation(
  stream: Definition,
  streams: readonly Definition[],
  prefix: string,
): Computing {
  const outcome = checkComputation(stream, streams);
  if (!isComputationError(outcome)) return outcome;
  const field = outcome.field === 'type' ? 'type' : `computation.${outcome.field}`;
  throw wrongField(prefix + field, outcome.reason.replace(/\.$/, ''), outcome.remedy);
}

/** The datastreams of a kind with a change in hand, as they would be. */
export async function streamsAfter(
  store: Store,
  workspaceId: number,
  kindId: number,
  change: (streams: StreamRow[]) => StreamRow[],
): Promise<StreamRow[]> {
  return change(await listIn(store.models.streams, workspaceId, { where: { kindId }, order: ['id'] }));
}
