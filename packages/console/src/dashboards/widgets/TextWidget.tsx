import { Box } from '@mui/material';
import { Suspense, type ReactNode } from 'react';
import { optionOf } from '@peatmoor/core';
import { later } from '../../parts/later';
import { ink } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';

// Read only where there is such a widget. It makes no HTML of what it reads: markup in it stays text.
const Markdown = later(() => import('react-markdown'), 'default');

/** Pictures of elsewhere are not fetched: they would tell others who looks. */
const ALLOWED = [
  'p',
  'h1',
  'h2',
  'h3',
  'ul',
  'ol',
  'li',
  'strong',
  'em',
  'code',
  'pre',
  'blockquote',
  'a',
  'hr',
  'br',
  'del',
];

/** Words of one's own, in Markdown. */
function TextBody({ widget }: WidgetProps): ReactNode {
  const words = String(optionOf(widget, 'words') ?? '');
  return (
    <Box
      sx={{
        height: '100%',
        overflow: 'auto',
        overflowWrap: 'anywhere',
        '& p, & ul, & ol': { mt: 0, mb: 1 },
        '& h1, & h2, & h3': { fontSize: '1.1rem', mt: 0, mb: 0.5 },
        '& ul, & ol': { pl: 2.5 },
        '& blockquote': { m: 0, pl: 1.5, borderLeft: `2px solid ${ink.line}` },
      }}
    >
      {words === '' ? (
        <span style={{ color: ink.soft }}>No words yet.</span>
      ) : (
        <Suspense fallback={words}>
          <Markdown allowedElements={ALLOWED} unwrapDisallowed>
            {words}
          </Markdown>
        </Suspense>
      )}
    </Box>
  );
}

export const text: DrawnWidget = { Body: TextBody, phoneHeight: 180 };
