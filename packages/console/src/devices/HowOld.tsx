import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { useNow } from '../live';
import { Hatched } from '../parts/marks';
import { showClock } from '../parts/time';
import { ink } from '../theme';
import type { Control } from './useControl';

/** What is to be known of what a control shows: that nobody ever said what it is, or since when nobody could have. */
export function HowOld({
  control: { standing, silentSince, asOf },
  momentary,
}: {
  control: Control;
  /** A press has no position. */
  momentary: boolean;
}): ReactNode {
  const now = useNow(30_000);
  return (
    <>
      {!momentary && standing.is === 'unknown' && (
        <Box component="span" data-old="never" sx={{ color: ink.heather, fontSize: '0.9rem' }}>
          never reported
        </Box>
      )}
      {!momentary && standing.is === 'wanted' && standing.board === null && (
        <Box component="span" data-old="never" sx={{ fontSize: '0.9rem' }}>
          what it has now: never reported
        </Box>
      )}
      {silentSince !== null && (
        <Hatched data-old="silent">device not heard since {showClock(silentSince, now)}</Hatched>
      )}
      {asOf !== null && (
        <Box component="span" data-old="as of" sx={{ fontSize: '0.9rem' }}>
          as of {showClock(asOf, now)}
        </Box>
      )}
    </>
  );
}
