import { ButtonBase } from '@mui/material';
import { Suspense, useState, type ReactNode } from 'react';
import { useRead } from '../api';
import { later } from '../parts/later';
import { ink } from '../theme';

const Workspaces = later(() => import('./Workspaces'), 'Workspaces');

/** The workspace one is in; a press shows the others, and makes a new one. */
export function Switcher(): ReactNode {
  const me = useRead('me').data;
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  // Its file is fetched when it is first opened, and stays.
  const [opened, setOpened] = useState(false);
  if (me === undefined) return null;
  return (
    <>
      <ButtonBase
        aria-haspopup="menu"
        aria-expanded={anchor !== null}
        aria-label={`Workspace ${me.workspace.title}`}
        onClick={({ currentTarget }) => {
          setAnchor(currentTarget);
          setOpened(true);
        }}
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
      {opened && (
        <Suspense>
          <Workspaces anchor={anchor} onClose={() => setAnchor(null)} />
        </Suspense>
      )}
    </>
  );
}
