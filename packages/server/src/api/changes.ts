import { Op, type WhereOptions } from 'sequelize';
import type { ChangeRow } from '../store/models';
import { containsAnyCase } from '../store/filters';
import type { ApiParts, Handlers } from './context';
import { pageIn, period } from './pages';

/** Who changed what, from what to what, and when. */
export function changeHandlers({ store }: ApiParts): Pick<Handlers, 'listChanges'> {
  return {
    listChanges: async (call) => {
      const { what, text, by } = call.query;
      const rows = await pageIn(store.models.changes, call.scope.workspaceId, call, {
        where: {
          ...(what !== undefined && { what: String(what) }),
          ...(by !== undefined && { userId: Number(by) }),
          ...period('at', call.query),
          ...(text !== undefined && {
            [Op.or]: [containsAnyCase('title', String(text)), containsAnyCase('target', String(text))],
          }),
        } as WhereOptions<ChangeRow>,
        by: 'id',
        id: 'id',
        direction: 'DESC',
      });
      return rows.map(({ id, at, userId, who, what: sort, target, title, act, details }) => ({
        id,
        at,
        userId,
        who,
        what: sort,
        target,
        title,
        act,
        details,
      }));
    },
  };
}
