import {
  Button,
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
import {
  boundsOf,
  calendarPeriods,
  fixedPeriod,
  goingLike,
  MORE_PERIODS,
  spanWords,
  type Period,
} from './period';
import { serviceNow } from '../live/clock';

/** The periods that have no room on the strip, those of the calendar, and one of one's own. */
export function PeriodMenu({
  anchor,
  period,
  onChoose,
  onClose,
}: {
  /** What it stands beside; null while it is closed. */
  anchor: HTMLElement | null;
  period: Period;
  onChoose: (period: Period) => void;
  onClose: () => void;
}): ReactNode {
  const [custom, setCustom] = useState(false);
  const choose = (next: Period) => (): void => {
    onClose();
    onChoose(next);
  };
  return (
    <>
      <Menu
        anchorEl={anchor}
        open={anchor !== null}
        onClose={onClose}
        anchorOrigin={{ vertical: 'top', horizontal: 'center' }}
        transformOrigin={{ vertical: 'bottom', horizontal: 'center' }}
      >
        {period.until !== null && (
          <MenuItem onClick={choose(goingLike(period.ms))} sx={{ minHeight: 40, fontWeight: 700 }}>
            back to now
          </MenuItem>
        )}
        {[...MORE_PERIODS, ...calendarPeriods(serviceNow())].map((one) => (
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
            onClose();
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
            onChoose(next);
          }}
        />
      )}
    </>
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
  const now = boundsOf(period, serviceNow());
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
