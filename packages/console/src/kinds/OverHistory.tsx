import { Box, Button, LinearProgress } from '@mui/material';
import type { ReactNode } from 'react';
import { counted, describeComputation } from '@peatmoor/core';
import type { Stream } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { Notice } from '../parts/Notice';
import { dates } from '../parts/time';
import { ink, MONO } from '../theme';

/** How a datastream is computed, and working it out anew over history, with how far that has come. */
export function OverHistory({ kindId, stream }: { kindId: number; stream: Stream }): ReactNode {
  const params = { kind: kindId, stream: stream.key };
  const jobs = useRead('listRecomputations', { params }).data ?? [];
  const ask = useChange('recompute', ['listRecomputations']);
  if (stream.computation === null) return null;
  const open = jobs.filter(({ state }) => state === 'waiting' || state === 'running');
  const failed = jobs.find(({ state }) => state === 'failed');
  const days = jobs.reduce((sum, one) => sum + Math.max(1, one.days), 0);
  const done = jobs.reduce(
    (sum, one) => sum + (one.state === 'done' ? Math.max(1, one.days) : one.doneDays),
    0,
  );
  return (
    <Box sx={{ display: 'flex', flexWrap: 'wrap', alignItems: 'center', columnGap: 2 }}>
      <Box sx={{ fontFamily: MONO, fontSize: '0.9rem', color: ink.pool, overflowWrap: 'anywhere' }}>
        {describeComputation(stream.computation)}
      </Box>
      {open.length > 0 ? (
        <Box
          sx={{ display: 'flex', alignItems: 'center', gap: 1, flex: '1 1 200px', maxWidth: 360 }}
          data-recomputing
        >
          <LinearProgress
            variant="determinate"
            value={(done / Math.max(1, days)) * 100}
            color="secondary"
            sx={{ flex: 1 }}
            aria-label="how much of history is worked out"
          />
          <span style={{ color: ink.soft, fontSize: '0.9rem' }}>
            {done} of {counted(days, 'day')}
          </span>
        </Box>
      ) : (
        <Button
          variant="text"
          size="small"
          disabled={ask.isPending}
          onClick={() => ask.mutate({ params, body: {} })}
        >
          Work it out over history
        </Button>
      )}
      {jobs.length > 0 && open.length === 0 && failed === undefined && (
        <span style={{ color: ink.soft, fontSize: '0.9rem' }}>
          worked out over history {dates().dateTime(Math.max(...jobs.map(({ endedAt }) => endedAt ?? 0)))}
        </span>
      )}
      <Notice error={ask.error} />
      {failed && <Notice>{failed.note}</Notice>}
    </Box>
  );
}
