import { Box, ButtonBase } from '@mui/material';
import type { ReactNode } from 'react';
import { ink } from '../theme';
import { PERIODS, type Period } from './period';

/** The strip along the bottom that sets the period of every chart, graduated like a tape. */
export function TimeStrip({
  period,
  onChange,
}: {
  period: Period;
  onChange: (period: Period) => void;
}): ReactNode {
  return (
    <Box
      role="radiogroup"
      aria-label="Period of all charts"
      sx={{
        position: 'fixed',
        insetInline: 0,
        bottom: 0,
        zIndex: 15,
        bgcolor: ink.paper,
        borderTop: `1px solid ${ink.ink}`,
        pb: 'env(safe-area-inset-bottom)',
      }}
    >
      <Box
        sx={{
          height: 7,
          background: `repeating-linear-gradient(to right, ${ink.ink} 0 1px, transparent 1px 12px)`,
        }}
      />
      <Box sx={{ display: 'flex', maxWidth: 720, mx: 'auto' }}>
        {PERIODS.map((one) => (
          <ButtonBase
            key={one.key}
            role="radio"
            aria-checked={one === period}
            onClick={() => onChange(one)}
            sx={{
              flex: 1,
              py: 1.25,
              fontFamily: 'inherit',
              fontSize: '1rem',
              fontWeight: one === period ? 800 : 400,
              borderTop: `3px solid ${one === period ? ink.heather : 'transparent'}`,
              mt: '-7px',
            }}
          >
            {one.title}
          </ButtonBase>
        ))}
      </Box>
    </Box>
  );
}
