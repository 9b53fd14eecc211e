import { MenuItem, TextField } from '@mui/material';
import type { ReactNode } from 'react';

const TIMES: [string, number][] = [
  ['at once', 0],
  ['after 10 s', 10_000],
  ['after 1 min', 60_000],
  ['after 5 min', 300_000],
  ['after 10 min', 600_000],
  ['after 30 min', 1_800_000],
  ['after 2 h', 7_200_000],
];

/** How long a condition must hold; a time that is none of the usual ones stays. */
export function TimeChoice({
  label,
  value,
  onChange,
}: {
  label: string;
  value: number;
  onChange: (value: number) => void;
}): ReactNode {
  const times = TIMES.some(([, ms]) => ms === value)
    ? TIMES
    : [...TIMES, [`after ${value / 1000} s`, value] as [string, number]];
  return (
    <TextField select label={label} value={value} onChange={({ target }) => onChange(Number(target.value))}>
      {times.map(([words, ms]) => (
        <MenuItem key={ms} value={ms}>
          {words}
        </MenuItem>
      ))}
    </TextField>
  );
}
