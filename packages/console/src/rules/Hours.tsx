import { Box, Checkbox, FormControlLabel, ToggleButton, ToggleButtonGroup } from '@mui/material';
import type { ReactNode } from 'react';
import type { ActiveHours } from '@peatmoor/core';
import { ClockField } from '../parts/ClockField';
import { ink } from '../theme';

const DAYS = ['Mo', 'Tu', 'We', 'Th', 'Fr', 'Sa', 'Su'];
const FIRST: ActiveHours = { days: [1, 2, 3, 4, 5, 6, 7], from: 8 * 60, to: 20 * 60 };
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
            <ClockField
              key={name}
              label={name === 'from' ? 'From' : 'To'}
              value={value[name]}
              onChange={(minutes) => onChange({ ...value, [name]: minutes })}
            />
          ))}
        </Box>
      )}
    </Box>
  );
}
