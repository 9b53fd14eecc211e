import type { WorkspaceChange } from '@peatmoor/contract';
import type { WorkspaceRow } from '../store/models';
import type { ApiParts, Handlers } from './context';
import { createSessions } from './sessions';

type WorkspaceHandlers = Pick<Handlers, 'changeWorkspace'>;

/** The workspace itself: its name, its clock and where it is. */
export function workspaceHandlers(parts: ApiParts): WorkspaceHandlers {
  const { store, bus, timetables } = parts;
  const sessions = createSessions(parts);
  return {
    changeWorkspace: async ({ scope, body }) => {
      const { title, zone, place, recordDays } = body as WorkspaceChange;
      const change: Partial<WorkspaceRow> = {
        ...(title !== undefined && { title }),
        ...(zone !== undefined && { zone }),
        ...(recordDays !== undefined && { recordDays }),
        ...(place !== undefined && { lat: place?.lat ?? null, lon: place?.lon ?? null }),
      };
      if (Object.keys(change).length > 0)
        await store.models.workspaces.update(change, { where: { id: scope.workspaceId } });
      if (zone !== undefined || place !== undefined) await timetables.replan(scope.workspaceId);
      bus.emit('live', {
        workspaceId: scope.workspaceId,
        message: { type: 'changed', what: 'people', by: scope.userName },
      });
      const workspace = {
        ...scope.workspace,
        ...(title !== undefined && { title }),
        ...(zone !== undefined && { zone }),
        ...(place !== undefined && { place }),
        ...(recordDays !== undefined && { recordDays }),
      };
      return sessions.me({ ...scope, workspace });
    },
  };
}
