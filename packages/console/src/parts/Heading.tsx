import { Box, Typography } from '@mui/material';
import type { ReactNode } from 'react';

/** A page's title, a line below it, and what can be done on the page. */
export function Heading({
  title,
  name,
  below,
  children,
}: {
  title: ReactNode;
  /** The title in letters, for the browser's tab, where it is more than that. */
  name?: string;
  below?: ReactNode;
  children?: ReactNode;
}): ReactNode {
  return (
    <Box sx={{ display: 'flex', flexWrap: 'wrap', alignItems: 'flex-end', gap: 2, mb: 3 }}>
      <title>{`${name ?? (typeof title === 'string' ? title : '')} · Peatmoor`}</title>
      <Box sx={{ flex: '1 1 280px', minWidth: 0 }}>
        <Typography variant="h1" sx={{ overflowWrap: 'anywhere' }}>
          {title}
        </Typography>
        {below && (
          <Typography component="div" color="textSecondary" sx={{ mt: 0.5 }}>
            {below}
          </Typography>
        )}
      </Box>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1 }}>{children}</Box>
    </Box>
  );
}

/** A part of a page under a hairline. */
export function Section({
  title,
  mark,
  note,
  children,
  id,
}: {
  title: string;
  /** A small drawing before the title. */
  mark?: ReactNode;
  note?: ReactNode;
  children: ReactNode;
  id?: string;
}): ReactNode {
  return (
    <Box
      component="section"
      id={id}
      aria-label={title}
      sx={{ borderTop: 1, borderColor: 'divider', pt: 2, mt: 4 }}
    >
      <Box sx={{ display: 'flex', flexWrap: 'wrap', alignItems: 'baseline', gap: 2, mb: 1.5 }}>
        <Typography variant="h2">
          {mark} {title}
        </Typography>
        {note && (
          <Typography component="div" color="textSecondary" variant="body2">
            {note}
          </Typography>
        )}
      </Box>
      {children}
    </Box>
  );
}
