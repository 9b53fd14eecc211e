import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { ink, MONO } from '../theme';
import { LEDGER } from './ledger';

/** The one time axis that all day lines share, in local hours. */
export function TimeAxis({ from, to }: { from: number; to: number }): ReactNode {
  const marks: number[] = [];
  const first = new Date(from);
  first.setMinutes(0, 0, 0);
  for (const mark = first; mark.getTime() <= to; mark.setHours(mark.getHours() + 1))
    if (mark.getHours() % 6 === 0 && mark.getTime() >= from) marks.push(mark.getTime());
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
            {(to - at) / (to - from) > 0.13 && `${String(new Date(at).getHours()).padStart(2, '0')}:00`}
          </Box>
        ))}
      </Box>
    </Box>
  );
}
