import { Box, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { optionOf } from '@peatmoor/core';
import { fitting } from '../../parts/fitting';
import type { DrawnWidget, WidgetProps } from './drawn';

const USUAL = '1.25rem';
/** By which two lines fit where one usually stands. */
const LEAST = '0.95rem';

/** A line of words over a part of the page. */
function HeadingBody({ widget, editing }: WidgetProps): ReactNode {
  const words = String(optionOf(widget, 'words') || widget.title);
  return (
    <Box sx={{ containerType: 'inline-size' }}>
      <Typography
        variant="h2"
        sx={{ overflowWrap: 'anywhere', lineHeight: 1.2 }}
        style={{ fontSize: fitting(words, USUAL, LEAST) }}
      >
        {words || (editing ? 'Heading' : '')}
      </Typography>
    </Box>
  );
}

export const heading: DrawnWidget = { Body: HeadingBody, phoneHeight: 44 };
