import { UniqueConstraintError, type Transaction } from 'sequelize';
import { foldName, isScalar, partOf } from '@peatmoor/core';
import { streamSchema, type KindIn, type NewStream } from '@peatmoor/contract';
import { wrongField } from '../problems';
import type { KindRow, StreamRow } from '../store/models';
import { addTo, listIn } from '../store/rows';
import type { Store } from '../store/store';
import { checkComputations, checkFollows } from './computations';
import { now as clockNow } from '../clock';

/**
 * A title for a kind: the one that is wanted where no other kind has it, whatever its case, else with the next number behind it
 * (`numbered`) or refused. Nobody else makes or names a kind of the workspace until the caller's transaction is over.
 */
export async function titleFor(
  store: Store,
  workspaceId: number,
  wanted: string,
  {
    transaction,
    numbered = false,
    except = 0,
  }: { transaction: Transaction; numbered?: boolean; except?: number },
): Promise<string> {
  await store.models.workspaces.findByPk(workspaceId, { transaction, lock: transaction.LOCK.UPDATE });
  const rows = await listIn(store.models.kinds, workspaceId, { attributes: ['id', 'title'], transaction });
  const others = new Map(
    rows.filter(({ id }) => id !== except).map(({ title }) => [title.toLowerCase(), title]),
  );
  for (let i = 1; ; i++) {
    const title = i === 1 ? wanted : `${wanted.slice(0, 75)} ${i}`;
    const other = others.get(title.trim().toLowerCase());
    if (other === undefined) return title;
    if (!numbered)
      throw wrongField(
        'title',
        `: there is a kind "${other}" already`,
        'Give it another title, or use that one.',
      );
  }
}

/** Makes a kind with its datastreams, in the caller's transaction. `numbered`: its title may get a number where another has it. */
export async function createKind(
  store: Store,
  workspaceId: number,
  body: KindIn,
  transaction: Transaction,
  numbered = false,
): Promise<KindRow> {
  const kind = await addTo(
    store.models.kinds,
    workspaceId,
    {
      title: await titleFor(store, workspaceId, body.title, { transaction, numbered }),
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
  const steered = stream.computation === null && stream.direction !== 'report';
  const beside = (unit: string | null | undefined): string | null =>
    scalar && unit !== stream.unit ? (unit ?? null) : null;
  return {
    ...stream,
    unit: scalar ? (stream.unit ?? null) : null,
    sentUnit: beside(stream.sentUnit),
    keptUnit: beside(stream.keptUnit),
    min: scalar ? stream.min : null,
    max: scalar ? stream.max : null,
    decimals: stream.type === 'number' ? stream.decimals : null,
    aliases: [...new Set(stream.aliases.map(foldName))],
    choices: stream.type === 'choice' ? stream.choices : [],
    direction: stream.computation === null ? stream.direction : 'report',
    defaultValue: steered ? stream.defaultValue : null,
    holds: stream.direction === 'report' ? 'lasting' : stream.holds,
    timeLimitS: stream.direction === 'report' ? null : stream.timeLimitS,
    follow: steered ? stream.follow : null,
    asks: steered && (stream.asks ?? partOf(stream.part)?.module.dangerous ?? false),
    runAtMost: steered ? stream.runAtMost : null,
    withoutLink: steered ? stream.withoutLink : null,
    unconfirmed: false,
  };
}
