import { ButtonBase, Divider, Menu, MenuItem } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { useRead } from '../api';
import { ink } from '../theme';
import { useGoOn } from './goOn';

/** The workspace one is in; a press shows the others, and makes a new one. */
export function Switcher(): ReactNode {
  const me = useRead('me').data;
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const workspaces = useRead('listWorkspaces', undefined, anchor !== null).data ?? [];
  const { choose, make, busy } = useGoOn();
  if (me === undefined) return null;
  return (
    <>
      <ButtonBase
        aria-haspopup="menu"
        aria-expanded={anchor !== null}
        aria-label={`Workspace ${me.workspace.title}`}
        onClick={({ currentTarget }) => setAnchor(currentTarget)}
        sx={{
          font: 'inherit',
          fontSize: '0.875rem',
          color: ink.soft,
          py: 1.5,
          maxWidth: 220,
          overflow: 'hidden',
          textOverflow: 'ellipsis',
          whiteSpace: 'nowrap',
          display: 'block',
          '&:hover': { textDecoration: 'underline' },
        }}
      >
        {me.workspace.title}
      </ButtonBase>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        {workspaces.map(({ id, title, role }) => (
          <MenuItem
            key={id}
            selected={id === me.workspace.id}
            sx={{ minHeight: 44 }}
            onClick={() => (id === me.workspace.id ? setAnchor(null) : choose(id))}
          >
            {title}, {role}
          </MenuItem>
        ))}
        <Divider />
        <MenuItem sx={{ minHeight: 44 }} disabled={busy} onClick={make}>
          Make a new workspace
        </MenuItem>
      </Menu>
    </>
  );
}
