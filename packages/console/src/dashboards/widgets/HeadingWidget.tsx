import { Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { optionOf } from '@peatmoor/core';
import type { DrawnWidget, WidgetProps } from './drawn';

/** A line of words over a part of the page. */
function HeadingBody({ widget, editing }: WidgetProps): ReactNode {
  const words = String(optionOf(widget, 'words') || widget.title);
  return (
    <Typography variant="h2" sx={{ overflowWrap: 'anywhere', lineHeight: 1.2 }}>
      {words || (editing ? 'Heading' : '')}
    </Typography>
  );
}

export const heading: DrawnWidget = { Body: HeadingBody, phoneHeight: 40 };
