import { Box } from '@mui/material';
import type { HTMLAttributes, Key, ReactNode } from 'react';

/** One thing that is offered to be chosen: what it is, and more of it at the other end. */
export function Offered({
  about: { key, ...props },
  what,
  more,
}: {
  about: HTMLAttributes<HTMLLIElement> & { key: Key };
  what: string;
  more: string;
}): ReactNode {
  return (
    <Box
      component="li"
      key={key}
      {...props}
      sx={{ display: 'flex', gap: 2, justifyContent: 'space-between !important' }}
    >
      <b>{what}</b>
      <span style={{ opacity: 0.75 }}>{more}</span>
    </Box>
  );
}
