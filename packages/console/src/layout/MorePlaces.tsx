import { Divider, Menu, MenuItem } from '@mui/material';
import type { ReactNode } from 'react';
import { NavLink } from 'react-router';
import { useWorkspaceItems } from '../account/Workspaces';

/** The pages whose words have no room on a phone's line, and the workspaces. */
export function MorePlaces({
  anchor,
  places,
  onClose,
}: {
  /** What the menu stands beside; null while it is closed. */
  anchor: HTMLElement | null;
  places: readonly (readonly [title: string, path: string])[];
  onClose: () => void;
}): ReactNode {
  const workspaces = useWorkspaceItems(anchor !== null, onClose);
  return (
    <Menu anchorEl={anchor} open={anchor !== null} onClose={onClose}>
      {places.map(([title, path]) => (
        <MenuItem
          key={path}
          component={NavLink}
          to={path}
          onClick={onClose}
          sx={{ minHeight: 44, minWidth: 160, '&.active': { fontWeight: 700 } }}
        >
          {title}
        </MenuItem>
      ))}
      <Divider />
      {workspaces}
    </Menu>
  );
}
