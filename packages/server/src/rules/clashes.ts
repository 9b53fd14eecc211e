import { clashOf, isControllable, isRefusal, shownWish, takeWanted, type WouldHold } from '@peatmoor/core';
import type { Transaction } from 'sequelize';
import { conflict } from '../problems';
import type { DeviceRow, StreamRow } from '../store/models';
import { listIn } from '../store/rows';
import type { Store } from '../store/store';
import { isWatched, moreOf } from './definition';

interface OfDevice extends WouldHold {
  device: DeviceRow;
  stream: StreamRow;
}

/**
 * Refuses, at the end of the transaction of a change, what would let two rules hold one control at different values with equal right:
 * a rule that was saved or switched on, a label that was put on a device, a device that came to another kind. Throws the problem.
 */
export async function demandNoClash(
  store: Store,
  workspaceId: number,
  transaction: Transaction,
): Promise<void> {
  const { models } = store;
  const read = () =>
    listIn(models.rules, workspaceId, { where: { holds: true, active: true }, order: ['id'], transaction });
  if ((await read()).length === 0) return;
  // Of two changes at once the second looks when the first is done.
  await models.workspaces.findByPk(workspaceId, { transaction, lock: transaction.LOCK.UPDATE });
  const rules = await read();
  const holds = rules.flatMap((rule) =>
    moreOf(rule).actions.flatMap((action) => (action.on === 'while' ? [{ rule, action }] : [])),
  );
  if (holds.length < 2) return;
  const devices = await listIn(models.devices, workspaceId, {
    attributes: ['rowId', 'id', 'name', 'kindId', 'labels', 'workspaceId'],
    transaction,
  });
  const streams = await listIn(models.streams, workspaceId, {
    where: { key: [...new Set(holds.map(({ action }) => action.stream))] },
    transaction,
  });
  const all = holds.flatMap(({ rule, action: { device: own, stream: key, value, rank = 1 } }) =>
    devices
      .filter((device) => (own === null ? isWatched(rule, device) : device.rowId === own))
      .flatMap((device): OfDevice[] => {
        const stream = streams.find((one) => one.kindId === device.kindId && one.key === key);
        if (stream === undefined || !isControllable(stream)) return [];
        const taken = takeWanted(stream, value);
        if (isRefusal(taken)) return [];
        const wish = taken.value as number | string;
        return [
          {
            control: `${device.rowId}/${key}`,
            rank,
            value: wish,
            rule: rule.id,
            title: rule.title,
            device,
            stream,
          },
        ];
      }),
  );
  const clash = clashOf(all);
  if (clash === null) return;
  const [one, other] = clash;
  const shown = (wish: OfDevice): string => shownWish(wish.stream, wish.value);
  throw conflict(
    `“${one.title}” would hold ${one.stream.title} of ${one.device.name} at ${shown(one)} while its event is open, and “${other.title}” at ${shown(other)}, both in place ${one.rank}. Give one of them another place in the order, so that it is plain which holds.`,
  );
}
