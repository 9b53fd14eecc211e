import type { Granted } from '@peatmoor/contract';
import { newestOf } from '../history/newest';
import { narrowed, seesAll } from '../sharing/reach';
import { findAll, listIn } from '../store/rows';
import type { ApiParts, Handlers } from './context';
import { presentNow } from './describeDevices';
import { member, type Scope } from './scope';

/** Workspaces, and devices and dashboards of each, that are listed at the most. */
const MOST_WORKSPACES = 20;
const MOST_LISTED = 50;
/** Newest values that stand beside a device. */
const MOST_VALUES = 3;

/** What other workspaces granted a person beyond their role there, to be seen where they are. */
export function grantedHandlers(parts: ApiParts): Pick<Handlers, 'listGranted'> {
  const { store, registry, recent, presence } = parts;
  const { models } = store;

  const devicesOf = async (scope: Scope, rowIds: readonly number[]): Promise<Granted['devices']> => {
    const entries = await registry.load(rowIds);
    return [...entries.values()]
      .filter(({ workspaceId }) => workspaceId === scope.workspaceId)
      .map((whole) => {
        const entry = narrowed(scope, whole);
        const newest = newestOf(entry, recent);
        return {
          id: entry.id,
          name: entry.name,
          kindTitle: entry.kindTitle,
          presence: presentNow(presence, entry).presence,
          values: entry.streams
            .filter(({ type, direction }) => type !== 'image' && direction !== 'control')
            .flatMap((stream) => {
              const one = newest.find(({ key }) => key === stream.key);
              const { key, title, type, unit, decimals } = stream;
              return one === undefined
                ? []
                : [{ stream: { key, title, type, unit, decimals }, at: one.at, value: one.value }];
            })
            .slice(0, MOST_VALUES),
        };
      })
      .sort((a, b) => a.name.localeCompare(b.name));
  };

  return {
    listGranted: async ({ scope }) => {
      if (scope.pass.kind !== 'session') return [];
      const grants = await findAll(models.grants, { where: { userId: scope.userId } });
      const elsewhere = [...new Set(grants.map(({ workspaceId }) => workspaceId))]
        .filter((workspaceId) => workspaceId !== scope.workspaceId)
        .slice(0, MOST_WORKSPACES);
      const listed: Granted[] = [];
      for (const workspaceId of elsewhere) {
        const there = await member(store, scope.userId, workspaceId, scope.pass);
        // Whoever steers everything there is granted nothing beyond it.
        if (there === null || there.reach === null) continue;
        // A viewer of the whole workspace is told of what they may steer besides.
        const rowIds = seesAll(there)
          ? [...there.reach.devices].filter(([, { steers }]) => steers === 'all' || steers.size > 0)
          : [...there.reach.devices];
        const boards = await listIn(models.dashboards, workspaceId, {
          where: { id: [...there.reach.dashboards] },
          attributes: ['id', 'title'],
          order: ['title', 'id'],
        });
        listed.push({
          workspace: { id: workspaceId, title: there.workspace.title },
          devices: await devicesOf(
            there,
            rowIds.slice(0, MOST_LISTED).map(([rowId]) => rowId),
          ),
          dashboards: boards.slice(0, MOST_LISTED).map(({ id, title }) => ({ id, title })),
          more: rowIds.length > MOST_LISTED || boards.length > MOST_LISTED,
        });
      }
      return listed.sort((a, b) => a.workspace.title.localeCompare(b.workspace.title));
    },
  };
}
