import { UniqueConstraintError, type Transaction } from 'sequelize';
import { foldName, isScalar } from '@peatmoor/core';
import { streamSchema, type KindIn, type NewStream } from '@peatmoor/contract';
import { wrongField } from '../problems';
import type { KindRow, StreamRow } from '../store/models';
import { addTo, listIn } from '../store/rows';
import type { Store } from '../store/store';
import { checkComputations, checkFollows } from './computations';
import { now as clockNow } from '../clock';

/**
 * The kinds of a workspace with one title, whatever its case; nobody else makes or names one until the caller's transaction is
 * over.
 */
export async function kindsCalled(
  store: Store,
  workspaceId: number,
  title: string,
  transaction: Transaction,
): Promise<KindRow[]> {
  await store.models.workspaces.findByPk(workspaceId, { transaction, lock: transaction.LOCK.UPDATE });
  const wanted = title.trim().toLowerCase();
  const rows = await listIn(store.models.kinds, workspaceId, { transaction });
  return rows.filter((row) => row.title.toLowerCase() === wanted);
}

/** Refuses a title that another kind has. */
export async function demandOwnTitle(
  store: Store,
  workspaceId: number,
  title: string,
  transaction: Transaction,
  except = 0,
): Promise<void> {
  const others = (await kindsCalled(store, workspaceId, title, transaction)).filter(
    ({ id }) => id !== except,
  );
  if (others.length > 0)
    throw wrongField(
      'title',
      `: there is a kind "${others[0]!.title}" already`,
      'Give it another title, or use that one.',
    );
}

/** A title that no kind has: the one that is wanted, or with the next number behind it. */
export async function freeTitle(
  store: Store,
  workspaceId: number,
  title: string,
  transaction: Transaction,
): Promise<string> {
  for (let i = 1; ; i++) {
    const one = i === 1 ? title : `${title.slice(0, 75)} ${i}`;
    if ((await kindsCalled(store, workspaceId, one, transaction)).length === 0) return one;
  }
}

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
