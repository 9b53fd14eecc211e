import { Divider, Menu, MenuItem } from '@mui/material';
import type { ReactNode } from 'react';
import { useRead } from '../api';
import { useGoOn } from './goOn';

/** Items of a menu: the workspaces one belongs to, of which a press goes to one, and a new one. */
export function useWorkspaceItems(open: boolean, onClose: () => void): ReactNode[] {
  const here = useRead('me').data?.workspace.id;
  const workspaces = useRead('listWorkspaces', undefined, open).data ?? [];
  const { choose, make, busy } = useGoOn();
  return [
    ...workspaces.map(({ id, title, role }) => (
      <MenuItem
        key={id}
        selected={id === here}
        sx={{ minHeight: 44 }}
        onClick={() => (id === here ? onClose() : choose(id))}
      >
        {title}, {role}
      </MenuItem>
    )),
    <Divider key="line" />,
    <MenuItem key="new" sx={{ minHeight: 44 }} disabled={busy} onClick={make}>
      Make a new workspace
    </MenuItem>,
  ];
}

/** The workspaces one belongs to, beside the name of the one that one is in. */
export function Workspaces({
  anchor,
  onClose,
}: {
  /** What the menu stands beside; null while it is closed. */
  anchor: HTMLElement | null;
  onClose: () => void;
}): ReactNode {
  const items = useWorkspaceItems(anchor !== null, onClose);
  return (
    <Menu anchorEl={anchor} open={anchor !== null} onClose={onClose}>
      {items}
    </Menu>
  );
}
