import { mayDo } from '@peatmoor/core';
import type { Transaction } from 'sequelize';
import { conflict } from '../problems';
import { handOver, thereToTell, type TakesOver } from '../rules/takingOver';
import type { MembershipRow } from '../store/models';
import { deleteIn, listIn } from '../store/rows';
import { takeRow, type Store } from '../store/store';

type Member = Pick<MembershipRow, 'userId' | 'workspaceId'>;

/**
 * Takes somebody out of a workspace, whose row is taken: with all that speaks for them there, and with what they were told handed
 * over. Gives the rules that tell others now. Throws 409 with the names of rules that would tell nobody, where `takesOver` is not said.
 */
export async function takeOut(
  store: Store,
  { userId, workspaceId }: Member,
  { takesOver, of }: { takesOver: TakesOver; of?: string },
  transaction: Transaction,
): Promise<number[]> {
  const { memberships, accessKeys, grants } = store.models;
  const before = await thereToTell(store, workspaceId, transaction);
  for (const table of [memberships, accessKeys, grants])
    await deleteIn(table as typeof memberships, workspaceId, { userId }, transaction);
  await store.sequelize.query(
    "DELETE FROM unreached WHERE workspaceId = ? AND channel IN ('', 'push') AND recipient = ?",
    { replacements: [workspaceId, String(userId)], transaction },
  );
  return handOver(store, workspaceId, { leaving: userId, takesOver, before, of }, transaction);
}

/**
 * Somebody leaves a workspace of their own will. Whoever may change rules is asked who takes over; for others an owner does.
 * Throws 409 for the last owner among others. `isLast`: nobody is left. Gives the rules that tell others now.
 */
export async function leave(
  store: Store,
  { userId, workspaceId, role }: MembershipRow,
  { takesOver, of }: { takesOver: TakesOver; of?: string },
  transaction: Transaction,
): Promise<{ isLast: boolean; rules: number[] }> {
  await takeRow(store, 'workspaces', { column: 'id', value: workspaceId }, transaction);
  const others = (
    await listIn(store.models.memberships, workspaceId, { order: ['userId'], transaction })
  ).filter((one) => one.userId !== userId);
  const isLast = others.length === 0;
  const owner = others.find((one) => one.role === 'owner');
  if (!isLast && owner === undefined)
    throw conflict(
      'You are the last owner of a workspace to which others belong. Make somebody else an owner first.',
    );
  const next = isLast ? 'nobody' : mayDo(role, 'change') ? takesOver : `person-${owner!.userId}`;
  return {
    isLast,
    rules: await takeOut(store, { userId, workspaceId }, { takesOver: next, of }, transaction),
  };
}
