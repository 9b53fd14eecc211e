import { ButtonBase } from '@mui/material';
import { Suspense, type ReactNode } from 'react';
import { useRead } from '../api';
import { later } from '../parts/later';
import { useAnchor } from '../parts/useAnchor';
import { ink } from '../theme';

const Workspaces = later(() => import('./Workspaces'), 'Workspaces');

/** The workspace one is in; a press shows the others, and makes a new one. */
export function Switcher(): ReactNode {
  const me = useRead('me').data;
  const menu = useAnchor();
  if (me === undefined) return null;
  return (
    <>
      <ButtonBase
        aria-haspopup="menu"
        aria-expanded={menu.at !== null}
        aria-label={`Workspace ${me.workspace.title}`}
        onClick={menu.open}
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
      {menu.wasOpened && (
        <Suspense>
          <Workspaces anchor={menu.at} onClose={menu.close} />
        </Suspense>
      )}
    </>
  );
}
