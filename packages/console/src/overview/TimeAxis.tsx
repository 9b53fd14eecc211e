import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { dates } from '../parts/time';
import { ink, MONO } from '../theme';
import { LEDGER } from './ledger';

/** The one time axis that all day lines share, in local hours. */
export function TimeAxis({ from, to }: { from: number; to: number }): ReactNode {
  const marks: number[] = [];
  const { dateOf, timeOf, clock } = dates();
  const first = dateOf(from);
  const quarter = (n: number): number =>
    timeOf(first.getFullYear(), first.getMonth(), first.getDate(), n * 6);
  for (let n = 0; quarter(n) <= to; n++) if (quarter(n) >= from) marks.push(quarter(n));
  return (
    <Box
      aria-hidden
      sx={{
        display: 'grid',
        gridTemplateColumns: LEDGER,
        columnGap: 3,
        position: 'sticky',
        top: 48,
        bgcolor: ink.paper,
        zIndex: 10,
      }}
    >
      <Box
        sx={{
          gridColumn: { xs: '1 / -1', md: '4' },
          position: 'relative',
          height: 26,
          fontFamily: MONO,
          fontSize: '0.8rem',
          color: ink.soft,
        }}
      >
        {marks.map((at) => (
          <Box
            key={at}
            component="span"
            sx={{
              position: 'absolute',
              left: `${((at - from) / (to - from)) * 100}%`,
              bottom: 2,
              borderLeft: `1px solid ${ink.line}`,
              pl: 0.5,
            }}
          >
            {(to - at) / (to - from) > 0.13 && clock(at)}
          </Box>
        ))}
      </Box>
    </Box>
  );
}
