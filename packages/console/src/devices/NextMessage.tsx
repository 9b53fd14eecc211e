import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { isQuiet } from '@peatmoor/core';
import { ink } from '../theme';

/** The countdown to the next message that is expected, or how long it is overdue. */
export function NextMessage({
  lastSeen,
  intervalS,
  now,
}: {
  lastSeen: number;
  intervalS: number;
  now: number;
}): ReactNode {
  const left = Math.round((lastSeen + intervalS * 1000 - now) / 1000);
  const words = (seconds: number): string =>
    seconds < 90
      ? `${seconds} s`
      : seconds < 5400
        ? `${Math.round(seconds / 60)} min`
        : `${Math.round(seconds / 3600)} h`;
  const late = isQuiet(lastSeen, intervalS, now);
  return (
    <Box component="span" data-next sx={{ color: late ? ink.rowan : ink.soft, whiteSpace: 'nowrap' }}>
      {left >= 0
        ? `next message in ${words(left)}`
        : late
          ? `overdue by ${words(-left)}`
          : 'next message any moment'}
    </Box>
  );
}
