import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import type { Datastream } from '@peatmoor/core';
import { ink, MONO } from '../theme';
import { useDisplay } from './useDisplay';

/** A value aligned on its decimal point: whole part to the right, decimals and unit to the left of a common line. */
export function AlignedFigure({
  stream,
  value,
}: {
  stream: Datastream;
  value: number | undefined;
}): ReactNode {
  const display = useDisplay()(stream);
  const text = value === undefined ? '–' : display.value(value);
  const [whole = '', decimals] = text.split('.');
  return (
    <Box
      component="span"
      sx={{
        display: 'inline-grid',
        gridTemplateColumns: '4.5ch 3.6ch auto',
        alignItems: 'baseline',
        fontFamily: MONO,
        whiteSpace: 'pre',
      }}
    >
      <span style={{ textAlign: 'right' }}>{whole}</span>
      <span>{decimals === undefined ? '' : `.${decimals}`}</span>
      <Box component="span" sx={{ color: ink.soft, fontSize: '0.85em' }}>
        {display.unit}
      </Box>
    </Box>
  );
}
