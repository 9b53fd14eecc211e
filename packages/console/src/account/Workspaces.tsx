import { Divider, Menu, MenuItem } from '@mui/material';
import type { ReactNode } from 'react';
import { useRead } from '../api';
import { useGoOn } from './goOn';

/** The workspaces one belongs to; a press goes to one, or makes a new one. */
export function Workspaces({
  anchor,
  here,
  onClose,
}: {
  /** What the menu stands beside; null while it is closed. */
  anchor: HTMLElement | null;
  /** Number of the workspace one is in. */
  here: number;
  onClose: () => void;
}): ReactNode {
  const workspaces = useRead('listWorkspaces', undefined, anchor !== null).data ?? [];
  const { choose, make, busy } = useGoOn();
  return (
    <Menu anchorEl={anchor} open={anchor !== null} onClose={onClose}>
      {workspaces.map(({ id, title, role }) => (
        <MenuItem
          key={id}
          selected={id === here}
          sx={{ minHeight: 44 }}
          onClick={() => (id === here ? onClose() : choose(id))}
        >
          {title}, {role}
        </MenuItem>
      ))}
      <Divider />
      <MenuItem sx={{ minHeight: 44 }} disabled={busy} onClick={make}>
        Make a new workspace
      </MenuItem>
    </Menu>
  );
}
