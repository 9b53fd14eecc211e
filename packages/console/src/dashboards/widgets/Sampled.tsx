import { Box } from '@mui/material';
import { useMemo, type ReactNode } from 'react';
import type { CalendarBucket, CalendarStep } from '@peatmoor/core';
import { ink } from '../../theme';
import type { Source } from '../useCatalogue';
import { sampleSteps } from './buckets';

/** Says below what it shows that nothing of it was measured: a dashboard without a device yet. */
export function Sampled({ sample, children }: { sample: boolean; children: ReactNode }): ReactNode {
  if (!sample) return children;
  return (
    <Box sx={{ height: '100%', display: 'flex', flexDirection: 'column', minHeight: 0 }}>
      <Box sx={{ flex: 1, minHeight: 0 }}>{children}</Box>
      <SampleNote>sample values</SampleNote>
    </Box>
  );
}

export function SampleNote({ children }: { children: ReactNode }): ReactNode {
  return <Box sx={{ color: ink.heather, fontSize: '0.85rem' }}>{children}</Box>;
}

/** For a widget without a device: steps of the calendar up to now with sample values in them; null with one. */
export function useSampleSteps(
  { device, stream }: Source,
  step: CalendarStep,
  count: number,
): CalendarBucket[] | null {
  const isSample = device === null;
  return useMemo(() => (isSample ? sampleSteps(stream, step, count) : null), [isSample, stream, step, count]);
}
