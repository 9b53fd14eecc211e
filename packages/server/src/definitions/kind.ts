import { UniqueConstraintError, type Transaction } from 'sequelize';
import { foldName, isScalar } from '@peatmoor/core';
import { streamSchema, type KindIn, type NewStream } from '@peatmoor/contract';
import { wrongField } from '../problems';
import type { KindRow, StreamRow } from '../store/models';
import { addTo } from '../store/rows';
import type { Store } from '../store/store';
import { checkComputations, checkFollows } from './computations';
import { now as clockNow } from '../clock';

/** Makes a kind with its datastreams, in the caller's transaction. */
export async function createKind(
  store: Store,
  workspaceId: number,
  body: KindIn,
  transaction: Transaction,
): Promise<KindRow> {
  const kind = await addTo(
    store.models.kinds,
    workspaceId,
    {
      title: body.title,
      intervalS: body.intervalS ?? 60,
      acceptNew: body.acceptNew ?? false,
      notes: body.notes ?? '',
      board: body.board ?? '',
      icon: body.icon ?? '',
      createdAt: clockNow(),
    },
    transaction,
  );
  const streams = (body.streams ?? []).map((one) => toRow(streamSchema.cast(one) as NewStream));
  for (const [i, { key }] of streams.entries()) {
    checkComputations(streams, key, `streams[${i}].`);
    checkFollows(streams, key, `streams[${i}].`);
  }
  for (const [i, stream] of streams.entries()) {
    await keepStream(
      stream,
      () => addTo(store.models.streams, workspaceId, { ...stream, kindId: kind.id }, transaction),
      `streams[${i}].`,
    );
  }
  return kind;
}

/** Keeps a datastream; a key or virtual pin that is used already gives 422 with its field. */
export async function keepStream<T>(
  stream: Pick<NewStream, 'key' | 'pin'>,
  work: () => Promise<T>,
  prefix = '',
): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (!(error instanceof UniqueConstraintError)) throw error;
    if (/kindPin/.test(error.parent.message))
      throw wrongField(
        `${prefix}pin`,
        `: virtual pin ${stream.pin} is used by another datastream of this kind`,
        'Choose another number, or none.',
      );
    throw wrongField(
      `${prefix}key`,
      `"${stream.key}" is used by another datastream of this kind`,
      'Choose another key.',
    );
  }
}

/** A datastream as it is kept: without what its type has no use for. */
export function toRow(stream: NewStream): Omit<StreamRow, 'id' | 'workspaceId' | 'kindId'> {
  const scalar = isScalar(stream);
  return {
    ...stream,
    unit: scalar ? stream.unit : null,
    min: scalar ? stream.min : null,
    max: scalar ? stream.max : null,
    decimals: stream.type === 'number' ? stream.decimals : null,
    aliases: [...new Set(stream.aliases.map(foldName))],
    choices: stream.type === 'choice' ? stream.choices : [],
    direction: stream.computation === null ? stream.direction : 'report',
    defaultValue: stream.computation === null && stream.direction !== 'report' ? stream.defaultValue : null,
    holds: stream.direction === 'report' ? 'lasting' : stream.holds,
    timeLimitS: stream.direction === 'report' ? null : stream.timeLimitS,
    follow: stream.computation === null && stream.direction !== 'report' ? stream.follow : null,
    unconfirmed: false,
  };
}
