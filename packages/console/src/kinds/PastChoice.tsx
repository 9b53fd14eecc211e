import { Box, Button } from '@mui/material';
import type { ReactNode } from 'react';
import { along, lineBetween, showUnit } from '@peatmoor/core';
import type { PastUnit } from '@peatmoor/contract';
import { Notice } from '../parts/Notice';
import { ink } from '../theme';

/** Asks what becomes of all that is in the unit before: shown in the new one, or only called so. */
export function PastChoice({
  from,
  to,
  reason,
  onChoice,
}: {
  from: string;
  to: string;
  /** What there is in the unit before, in words. */
  reason: string;
  onChoice: (past: PastUnit) => void;
}): ReactNode {
  const [before, after] = [showUnit(from) || from, showUnit(to) || to || 'no unit'];
  const line = lineBetween(from, to);
  const way = (past: PastUnit, label: string, words: string): ReactNode => (
    <Box sx={{ display: 'flex', gap: 2, alignItems: 'baseline', flexWrap: 'wrap' }}>
      <Button size="small" variant="outlined" onClick={() => onChoice(past)}>
        {label}
      </Button>
      <Box component="span" sx={{ color: ink.soft, flex: 1, minWidth: 220 }}>
        {words}
      </Box>
    </Box>
  );
  return (
    <Notice tone="plain">
      <Box sx={{ display: 'grid', gap: 1.5 }}>
        <span>
          The unit changes from {before} to {after}
          {reason}. What becomes of them?
        </span>
        {line !== null &&
          way(
            'convert',
            `Convert to ${after}`,
            `100 ${before} becomes ${along(line, 100)} ${after}: readings, range, limits of event rules and scales. Boards go on sending ${before}; if their program changes, change “The board sends it in” then.`,
          )}
        {way(
          'rename',
          to === '' ? 'Take the unit away' : `Only call it ${after}`,
          `100 ${before} becomes 100${to === '' ? '' : ` ${after}`}: the unit was wrong, and the numbers are right.`,
        )}
      </Box>
    </Notice>
  );
}
