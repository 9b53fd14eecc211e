import { Box, Typography } from '@mui/material';
import type { ReactNode } from 'react';

/** A page with nothing but a title and some words: what a link says instead of what it shows. */
export function Plain({ title, children }: { title: string; children: ReactNode }): ReactNode {
  return (
    <Box component="main" sx={{ maxWidth: 620, mx: 'auto', p: 3, pt: { xs: 4, sm: 8 } }}>
      <Typography component="h1" variant="h1" sx={{ mb: 2 }}>
        {title}
      </Typography>
      {children}
    </Box>
  );
}
