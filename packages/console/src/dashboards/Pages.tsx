import { Box, Button } from '@mui/material';
import { Suspense, type ReactNode } from 'react';
import { later } from '../parts/later';
import { ink } from '../theme';

const PageName = later(() => import('./Titles'), 'PageName');

/** The pages of a dashboard, as words in a row; while it is arranged they are named, added and removed here. */
export function Pages({
  pages,
  at,
  onGo,
  onChange,
  onRemove,
}: {
  pages: readonly string[];
  at: number;
  onGo: (page: number) => void;
  /** Given while the dashboard is arranged. */
  onChange?: ((pages: string[]) => void) | undefined;
  onRemove?: (() => void) | undefined;
}): ReactNode {
  if (pages.length < 2 && onChange === undefined) return null;
  const nameOf = (page: number): string => pages[page] || `Page ${page + 1}`;
  return (
    <Box
      sx={{
        display: 'flex',
        flexWrap: 'wrap',
        columnGap: 3,
        rowGap: 1,
        alignItems: 'baseline',
        mb: onChange ? 2 : 0,
        mr: 2,
      }}
    >
      {pages.length > 1 && (
        <Box
          role="tablist"
          aria-label="Pages of this dashboard"
          sx={{ display: 'flex', flexWrap: 'wrap', gap: 2 }}
        >
          {pages.map((_, page) => (
            <Button
              key={page}
              role="tab"
              variant="text"
              aria-selected={page === at}
              onClick={() => onGo(page)}
              sx={{
                textDecoration: 'none',
                fontWeight: page === at ? 800 : 400,
                borderBottom: `3px solid ${page === at ? ink.heather : 'transparent'}`,
                borderRadius: 0,
              }}
            >
              {nameOf(page)}
            </Button>
          ))}
        </Box>
      )}
      {onChange && pages.length > 1 && (
        <Suspense>
          <PageName
            name={pages[at] ?? ''}
            usual={`Page ${at + 1}`}
            onChange={(name) => onChange(pages.map((one, i) => (i === at ? name : one)))}
          />
        </Suspense>
      )}
      {onChange && (
        <Button
          size="small"
          disabled={pages.length >= 12}
          onClick={() => onChange([...(pages.length === 0 ? [''] : pages), ''])}
        >
          Add a page
        </Button>
      )}
      {onRemove && pages.length > 1 && (
        <Button size="small" onClick={onRemove}>
          Remove this page
        </Button>
      )}
    </Box>
  );
}
