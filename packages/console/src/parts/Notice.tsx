import { Box, Button } from '@mui/material';
import type { ReactNode } from 'react';
import { ApiError } from '@peatmoor/contract';
import { ink } from '../theme';
import { fieldsIn } from './problems';

const TONES = { problem: ink.rowan, good: ink.moss, plain: ink.pool } as const;

/** A few words that matter now, with a stroke in the margin. */
export function Notice({
  error,
  beside = [],
  children,
  tone = 'problem',
  action,
}: {
  error?: Error | null;
  /** Fields at which what is said of them stands already. */
  beside?: readonly string[];
  children?: ReactNode;
  tone?: keyof typeof TONES;
  action?: { label: string; onClick: () => void };
}): ReactNode {
  if ((error === null || error === undefined) && children === undefined) return null;
  const spoken = fieldsIn(error);
  if (spoken.length > 0 && spoken.every((field) => beside.includes(field))) return null;
  const fields = error instanceof ApiError ? (error.problem.errors ?? []) : [];
  return (
    <Box
      role={tone === 'problem' ? 'alert' : 'status'}
      sx={{
        borderLeft: `3px solid ${TONES[tone]}`,
        pl: 2,
        py: 0.5,
        my: 2,
        display: 'flex',
        flexWrap: 'wrap',
        gap: 1.5,
        alignItems: 'baseline',
      }}
    >
      <Box sx={{ minWidth: 0, overflowWrap: 'anywhere' }}>
        {fields.length > 1
          ? fields.map(({ field, reason, remedy }) => (
              <div key={field + reason}>{`${field} ${reason}. ${remedy}`}</div>
            ))
          : error?.message}
        {children}
      </Box>
      {action && (
        <Button size="small" onClick={action.onClick}>
          {action.label}
        </Button>
      )}
    </Box>
  );
}
