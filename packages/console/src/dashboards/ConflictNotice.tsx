import { Box, Button } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { useNavigate } from 'react-router';
import { counted } from '@peatmoor/core';
import { Notice } from '../parts/Notice';
import { ink } from '../theme';
import { Miniature } from './Miniature';
import type { Conflict } from './useDraft';

/** Two people changed a dashboard: both versions side by side, and what can become of them. */
export function ConflictNotice({ conflict }: { conflict: Conflict }): ReactNode {
  const { mine, theirs, takeTheirs, keepMine, keepBoth } = conflict;
  const navigate = useNavigate();
  const [error, setError] = useState<Error | null>(null);
  return (
    <Box role="alert" sx={{ borderLeft: `3px solid ${ink.rowan}`, pl: 2, my: 2 }}>
      {theirs.changedBy} changed this dashboard meanwhile. Nothing was overwritten: choose which it shall be.
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 4, my: 1.5 }}>
        {(
          [
            ['Yours', mine],
            [`That of ${theirs.changedBy}`, theirs],
          ] as const
        ).map(([name, one]) => (
          <Box key={name}>
            <Miniature widgets={one.widgets} colour={one.colour} />
            <Box sx={{ fontWeight: 650 }}>{name}</Box>
            <Box sx={{ color: ink.soft }}>
              {one.title}, {counted(one.widgets.length, 'widget')}
            </Box>
          </Box>
        ))}
      </Box>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1 }}>
        <Button onClick={takeTheirs}>Load the newer one</Button>
        <Button onClick={keepMine}>Put mine in its place</Button>
        <Button
          onClick={() =>
            void keepBoth().then(
              (id) => navigate(`/dashboards/${id}`),
              (failure: Error) => setError(failure),
            )
          }
        >
          Keep mine as another
        </Button>
      </Box>
      <Notice error={error} />
    </Box>
  );
}
