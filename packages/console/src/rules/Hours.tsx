import { Box, Checkbox, FormControlLabel, TextField, ToggleButton, ToggleButtonGroup } from '@mui/material';
import type { ReactNode } from 'react';
import type { ActiveHours } from '@peatmoor/core';
import { ink } from '../theme';

const DAYS = ['Mo', 'Tu', 'We', 'Th', 'Fr', 'Sa', 'Su'];
const FIRST: ActiveHours = { days: [1, 2, 3, 4, 5, 6, 7], from: 8 * 60, to: 20 * 60 };
const clock = (minutes: number): string =>
  `${String(Math.floor(minutes / 60) % 24).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`;
const minutesOf = (text: string): number | null => {
  const [hours = NaN, minutes = NaN] = text.split(':').map(Number);
  return Number.isInteger(hours * 60 + minutes) ? hours * 60 + minutes : null;
};

/** When a rule may open events: always, or on some days between two times. */
export function Hours({
  value,
  zone,
  onChange,
}: {
  value: ActiveHours | null;
  zone: string;
  onChange: (hours: ActiveHours | null) => void;
}): ReactNode {
  return (
    <Box>
      <FormControlLabel
        control={<Checkbox checked={value !== null} onChange={(_event, on) => onChange(on ? FIRST : null)} />}
        label={`opens only at some hours (clock of ${zone})`}
      />
      {value !== null && (
        <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'center', mt: 1 }}>
          <ToggleButtonGroup
            value={value.days}
            onChange={(_event, days: number[]) =>
              days.length > 0 && onChange({ ...value, days: [...days].sort() })
            }
            aria-label="Days"
          >
            {DAYS.map((day, i) => (
              <ToggleButton
                key={day}
                value={i + 1}
                sx={{
                  minWidth: 44,
                  minHeight: 44,
                  px: 0,
                  textTransform: 'none',
                  color: ink.soft,
                  '&.Mui-selected, &.Mui-selected:hover': { bgcolor: ink.ink, color: ink.paper },
                }}
              >
                {day}
              </ToggleButton>
            ))}
          </ToggleButtonGroup>
          {(['from', 'to'] as const).map((name) => (
            <TextField
              key={name}
              type="time"
              fullWidth={false}
              sx={{ width: 130 }}
              label={name === 'from' ? 'From' : 'To'}
              value={clock(value[name])}
              onChange={({ target }) => {
                const minutes = minutesOf(target.value);
                if (minutes !== null) onChange({ ...value, [name]: minutes });
              }}
              slotProps={{ inputLabel: { shrink: true } }}
            />
          ))}
        </Box>
      )}
    </Box>
  );
}
