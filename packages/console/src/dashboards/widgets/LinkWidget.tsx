import { Button } from '@mui/material';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { optionOf } from '@peatmoor/core';
import { ink } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';

/** Leads to a page of this console, or elsewhere. */
function LinkBody({ widget, editing }: WidgetProps): ReactNode {
  const address = String(optionOf(widget, 'address') ?? '');
  const words = String(optionOf(widget, 'words') ?? '') || address || 'No address yet';
  const shared = {
    disabled: editing || address === '',
    sx: { minHeight: 40, border: `1.5px solid ${ink.line}`, overflow: 'hidden', maxWidth: '100%' },
  };
  return address.startsWith('/') ? (
    <Button component={Link} to={address} {...shared}>
      {words} →
    </Button>
  ) : (
    <Button component="a" href={address} target="_blank" rel="noreferrer noopener" {...shared}>
      {words} ↗
    </Button>
  );
}

export const link: DrawnWidget = { Body: LinkBody, phoneHeight: 84 };
