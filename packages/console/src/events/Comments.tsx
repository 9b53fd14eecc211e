import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import type { Comment } from '@peatmoor/contract';
import { showClock } from '../parts/time';
import { ink } from '../theme';
import { serviceNow } from '../live/clock';

/** What was said of an event, one after the other, each with its time and name. */
export function Comments({ comments }: { comments: readonly Comment[] }): ReactNode {
  const now = serviceNow();
  return (
    <Box component="ol" aria-label="Comments" sx={{ listStyle: 'none', p: 0, m: 0, mb: 2 }}>
      {comments.map(({ id, at, by, text }) => (
        <Box component="li" key={id} sx={{ borderTop: `1px solid ${ink.faint}`, py: 0.75 }}>
          <Box sx={{ color: ink.soft, fontSize: '0.9rem' }}>
            {by}, {showClock(at, now)}
          </Box>
          <Box sx={{ overflowWrap: 'anywhere', whiteSpace: 'pre-wrap' }}>{text}</Box>
        </Box>
      ))}
    </Box>
  );
}
