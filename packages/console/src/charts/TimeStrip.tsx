import {
  Box,
  Button,
  ButtonBase,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  Menu,
  MenuItem,
  TextField,
} from '@mui/material';
import { useState, type ReactNode } from 'react';
import { fromLocal, toLocal } from '../parts/localTime';
import { ink } from '../theme';
import {
  boundsOf,
  calendarPeriods,
  fixedPeriod,
  goingLike,
  MORE_PERIODS,
  PERIODS,
  spanWords,
  type Period,
} from './period';

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
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [custom, setCustom] = useState(false);
  const isListed = PERIODS.some(({ key }) => key === period.key);
  const choose = (next: Period) => (): void => {
    setAnchor(null);
    onChange(next);
  };
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
            aria-expanded={anchor !== null}
            onClick={({ currentTarget }) => setAnchor(currentTarget)}
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
      <Menu
        anchorEl={anchor}
        open={anchor !== null}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'top', horizontal: 'center' }}
        transformOrigin={{ vertical: 'bottom', horizontal: 'center' }}
      >
        {period.until !== null && (
          <MenuItem onClick={choose(goingLike(period.ms))} sx={{ minHeight: 40, fontWeight: 700 }}>
            back to now
          </MenuItem>
        )}
        {[...MORE_PERIODS, ...calendarPeriods(Date.now())].map((one) => (
          <MenuItem
            key={one.key}
            selected={one.key === period.key}
            onClick={choose(one)}
            sx={{ minHeight: 36 }}
          >
            {one.until === null && one.title !== 'all there is' ? `the last ${one.title}` : one.title}
          </MenuItem>
        ))}
        <MenuItem
          onClick={() => {
            setAnchor(null);
            setCustom(true);
          }}
          sx={{ minHeight: 40 }}
        >
          from … to …
        </MenuItem>
      </Menu>
      {custom && (
        <CustomPeriod
          period={period}
          onClose={() => setCustom(false)}
          onChoose={(next) => {
            setCustom(false);
            onChange(next);
          }}
        />
      )}
    </Box>
  );
}

function CustomPeriod({
  period,
  onChoose,
  onClose,
}: {
  period: Period;
  onChoose: (period: Period) => void;
  onClose: () => void;
}): ReactNode {
  const now = boundsOf(period, Date.now());
  const [from, setFrom] = useState(toLocal(now.from));
  const [to, setTo] = useState(toLocal(now.to));
  const [start, end] = [fromLocal(from), fromLocal(to)];
  const isRight = start !== null && end !== null && end > start;
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth aria-labelledby="period">
      <DialogTitle id="period" sx={{ fontWeight: 700 }}>
        A period of your own
      </DialogTitle>
      <DialogContent sx={{ display: 'grid', gap: 3 }}>
        {(
          [
            ['From', from, setFrom],
            ['To', to, setTo],
          ] as const
        ).map(([label, value, set]) => (
          <TextField
            key={label}
            label={label}
            type="datetime-local"
            value={value}
            onChange={({ target }) => set(target.value)}
            error={label === 'To' && !isRight}
            helperText={
              label === 'From'
                ? ' '
                : isRight
                  ? spanWords(start, end)
                  : 'Is not after the start; choose a later time.'
            }
            slotProps={{ htmlInput: { step: 1 }, inputLabel: { shrink: true } }}
          />
        ))}
      </DialogContent>
      <DialogActions sx={{ px: 3, pb: 2 }}>
        <Button onClick={onClose}>Cancel</Button>
        <Button
          variant="contained"
          color="primary"
          disabled={!isRight}
          onClick={() => onChoose(fixedPeriod(start!, end!))}
        >
          Look at it
        </Button>
      </DialogActions>
    </Dialog>
  );
}
