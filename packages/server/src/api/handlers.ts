import { accountHandlers } from './account';
import { alertHandlers } from './alerts';
import { arrivalHandlers } from './arrivals';
import { calibrationHandlers } from './calibrations';
import { certificateHandlers } from './certificate';
import { changeHandlers } from './changes';
import { checkHandlers } from './check';
import { claimHandlers } from './claims';
import { commandHandlers } from './commands';
import { interlockHandlers } from './interlocks';
import { computingHandlers } from './computing';
import { dashboardHandlers } from './dashboards';
import { dataHandlers } from './data';
import { deviceHandlers } from './devices';
import { eventHandlers } from './events';
import { firmwareHandlers } from './firmware';
import { grantedHandlers } from './granted';
import { grantHandlers } from './grants';
import { historyHandlers } from './history';
import { keyHandlers } from './keys';
import { kindHandlers } from './kinds';
import { noteHandlers } from './notes';
import { peopleHandlers } from './people';
import { ruleHandlers } from './rules';
import { securityHandlers } from './security';
import { sharingHandlers } from './sharing';
import { timetableHandlers } from './timetables';
import { tokenHandlers } from './tokens';
import { workspaceHandlers } from './workspace';
import { workspacesHandlers } from './myWorkspaces';
import { handoverHandlers } from './handover';
import { workspaceFileHandlers } from './workspaceFile';
import type { ApiParts, Handlers } from './context';

/** Everything that answers calls, by the names of the contract. */
export function createHandlers(parts: ApiParts): Handlers {
  return {
    ...accountHandlers(parts),
    ...keyHandlers(parts),
    ...securityHandlers(parts),
    ...workspacesHandlers(parts),
    ...grantedHandlers(parts),
    ...kindHandlers(parts),
    ...deviceHandlers(parts),
    ...tokenHandlers(parts),
    ...arrivalHandlers(parts),
    ...historyHandlers(parts),
    ...dataHandlers(parts),
    ...calibrationHandlers(parts),
    ...claimHandlers(parts),
    ...firmwareHandlers(parts),
    ...computingHandlers(parts),
    ...commandHandlers(parts),
    ...interlockHandlers(parts),
    ...dashboardHandlers(parts),
    ...ruleHandlers(parts),
    ...eventHandlers(parts),
    ...alertHandlers(parts),
    ...certificateHandlers(parts),
    ...peopleHandlers(parts),
    ...changeHandlers(parts),
    ...sharingHandlers(parts),
    ...grantHandlers(parts),
    ...timetableHandlers(parts),
    ...noteHandlers(parts),
    ...workspaceHandlers(parts),
    ...checkHandlers(parts),
    ...handoverHandlers(parts),
    ...workspaceFileHandlers(parts, createHandlers),
  };
}
