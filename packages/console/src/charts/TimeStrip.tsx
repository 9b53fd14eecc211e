import { Box, ButtonBase } from '@mui/material';
import { Suspense, type ReactNode } from 'react';
import { later } from '../parts/later';
import { useAnchor } from '../parts/useAnchor';
import { ink } from '../theme';
import { PERIODS, type Period } from './period';

const PeriodMenu = later(() => import('./PeriodMenu'), 'PeriodMenu');

/** The strip along the bottom that sets the period of every chart, graduated like a tape. */
export function TimeStrip({
  period,
  onChange,
  among = PERIODS,
}: {
  period: Period;
  onChange: (period: Period) => void;
  /** Those that can be chosen, where that is not any. */
  among?: readonly Period[];
}): ReactNode {
  const menu = useAnchor();
  const isListed = PERIODS.some(({ key }) => key === period.key);
  const word = (chosen: boolean) => ({
    flex: 1,
    py: 1.25,
    fontFamily: 'inherit',
    fontSize: '1rem',
    fontWeight: chosen ? 800 : 400,
    borderTop: `3px solid ${chosen ? ink.heather : 'transparent'}`,
    mt: '-7px',
    whiteSpace: 'nowrap',
  });
  return (
    <Box
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
      <Box
        sx={{
          display: 'flex',
          maxWidth: 760,
          mx: 'auto',
          '@media (max-width: 599.95px)': { fontSize: '0.9rem' },
        }}
      >
        <Box role="radiogroup" aria-label="Period of all charts" sx={{ display: 'flex', flex: among.length }}>
          {among.map((one) => (
            <ButtonBase
              key={one.key}
              role="radio"
              aria-checked={one.key === period.key}
              onClick={() => onChange(one)}
              sx={word(one.key === period.key)}
            >
              {one.title}
            </ButtonBase>
          ))}
        </Box>
        {among === PERIODS && (
          <ButtonBase
            aria-haspopup="menu"
            aria-expanded={menu.at !== null}
            onClick={menu.open}
            sx={{
              ...word(!isListed),
              flex: isListed ? 1 : '0 1 auto',
              px: 1,
              fontSize: isListed ? '1rem' : '0.85rem',
              whiteSpace: { xs: 'normal', sm: 'nowrap' },
              lineHeight: 1.2,
            }}
          >
            {isListed ? 'more' : period.title}
          </ButtonBase>
        )}
      </Box>
      {menu.wasOpened && (
        <Suspense>
          <PeriodMenu anchor={menu.at} period={period} onClose={menu.close} onChoose={onChange} />
        </Suspense>
      )}
    </Box>
  );
}
