import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import type { Datastream } from '@peatmoor/core';
import { ink, MONO } from '../theme';
import { useDisplay } from './useDisplay';

/** A value aligned on its decimal point: whole part to the right of a common line, decimals with the unit beside them to its left. */
export function AlignedFigure({
  stream,
  value,
}: {
  stream: Datastream;
  value: number | undefined;
}): ReactNode {
  const display = useDisplay()(stream);
  const text = value === undefined ? '–' : display.value(value);
  const sign = /[.,]/.exec(text)?.[0] ?? '';
  const [whole = '', decimals] = sign === '' ? [text] : text.split(sign);
  return (
    <Box
      component="span"
      sx={{
        display: 'inline-grid',
        gridTemplateColumns: '5.5ch auto',
        alignItems: 'baseline',
        fontFamily: MONO,
        whiteSpace: 'pre',
      }}
    >
      <span style={{ textAlign: 'right' }}>{whole}</span>
      <span>
        {decimals === undefined ? '' : `${sign}${decimals}`}
        <Box component="span" sx={{ color: ink.soft, fontSize: '0.85em', ml: '0.4em' }}>
          {display.unit}
        </Box>
      </span>
    </Box>
  );
}
