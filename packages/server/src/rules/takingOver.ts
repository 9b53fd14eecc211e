import { counted, leftWithoutAnybody, type NamedToTell, type ThereToTell } from '@peatmoor/core';
import type { Transaction } from 'sequelize';
import { readRecipients, recipientBy } from '../alerts/channels';
import type { Bus } from '../bus';
import { conflict, wrongField } from '../problems';
import type { RuleRow } from '../store/models';
import { changeIn, listIn } from '../store/rows';
import type { Store } from '../store/store';
import { moreOf } from './definition';

/** Who takes over what somebody is told: a person, or nobody, which has to be said. */
export type TakesOver = string | undefined;

const MOST_NAMED = 5;

const namedBy = (rule: RuleRow): NamedToTell => {
  const recipients = readRecipients(rule.recipients);
  const of = (name: string): string[] =>
    recipients.flatMap(({ channel, to }) => (channel === name ? to : []));
  return {
    people: of('person').map(Number),
    roles: of('role'),
    emails: of('email'),
    webhooks: of('webhook').map(Number),
  };
};

/** Who can be told in a workspace just now. */
export async function thereToTell(
  { models }: Store,
  workspaceId: number,
  transaction: Transaction,
): Promise<ThereToTell> {
  return {
    people: await listIn(models.memberships, workspaceId, {
      attributes: ['userId', 'role', 'workspaceId'],
      transaction,
    }),
    webhooks: (await listIn(models.webhooks, workspaceId, { attributes: ['id'], transaction })).map(
      ({ id }) => id,
    ),
  };
}

/**
 * When somebody has left, or has another role, at the end of the transaction of that: rules that would tell nobody from now on are
 * handed over, or it is refused with their names. `before`: who was there. `of`: the workspace, where it may be one of several.
 * Gives the rules that were changed.
 */
export async function handOver(
  store: Store,
  workspaceId: number,
  {
    leaving,
    takesOver,
    before,
    of,
  }: { leaving: number; takesOver: TakesOver; before: ThereToTell; of?: string | undefined },
  transaction: Transaction,
): Promise<number[]> {
  const { models } = store;
  if (takesOver === 'nobody') return [];
  const next = takesOver === undefined ? null : Number(takesOver.replace('person-', ''));
  const after = await thereToTell(store, workspaceId, transaction);
  const isGone = !after.people.some(({ userId }) => userId === leaving);
  const rules = await listIn(models.rules, workspaceId, { order: ['id'], transaction });
  const left = new Set(
    leftWithoutAnybody(
      rules.map((rule) => ({ ...namedBy(rule), rule })),
      before,
      after,
    ).map(({ rule }) => rule),
  );
  const isThere = next !== leaving && after.people.some(({ userId }) => userId === next);
  // Of several workspaces, whoever takes over belongs to some.
  if (next === null || (of !== undefined && !isThere)) {
    if (left.size === 0) return [];
    const titles = [...left].map(({ title }) => `“${title}”`);
    const named = [
      ...titles.slice(0, MOST_NAMED),
      ...(titles.length > MOST_NAMED ? [`${titles.length - MOST_NAMED} more`] : []),
    ].join(', ');
    throw conflict(
      `${counted(left.size, 'event rule')}${of === undefined ? '' : ` of “${of}”`} would tell nobody any more: ${named}. Say who takes over with "takesOver": the ID of a person of the workspace, such as person-3, or "nobody".${of === undefined ? '' : ' Or leave that workspace first, and say it there.'}`,
    );
  }
  if (!isThere)
    throw wrongField(
      'takesOver',
      `"${takesOver}" is nobody who stays in this workspace`,
      'Give the ID of one of its people, such as person-3, or "nobody".',
    );
  const changed: number[] = [];
  for (const rule of rules) {
    const { people } = namedBy(rule);
    const escalates = isGone && moreOf(rule).escalateTo === leaving;
    const names = isGone && people.includes(leaving);
    if (!left.has(rule) && !names && !escalates) continue;
    const own = (one: { channel: string; to: string }): boolean =>
      one.channel === 'person' && (one.to === String(next) || (names && one.to === String(leaving)));
    await changeIn(
      models.rules,
      workspaceId,
      { id: rule.id },
      {
        revision: rule.revision + 1,
        ...((left.has(rule) || names) && {
          recipients: [
            ...readRecipients(rule.recipients).filter((one) => !own(one)),
            recipientBy('person', next),
          ],
        }),
        ...(escalates && { more: { ...rule.more, escalateTo: next } }),
      },
      transaction,
    );
    changed.push(rule.id);
  }
  return changed;
}

/** Tells everybody that rules tell others now; what they watch is as it was. */
export function tellHandedOver(
  bus: Bus,
  { workspaceId, userName: by }: { workspaceId: number; userName: string },
  rules: readonly number[],
): void {
  for (const id of rules) {
    bus.emit('rules', { workspaceId, ruleId: id });
    bus.emit('live', { workspaceId, message: { type: 'changed', what: 'rules', id, by } });
  }
}
