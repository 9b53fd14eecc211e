import { MenuItem, TextField } from '@mui/material';
import type { ReactNode } from 'react';
import { showDuration } from '@peatmoor/core';

const HOLDS: [string, number][] = [
  ['at once', 0],
  ['after 10 s', 10_000],
  ['after 1 min', 60_000],
  ['after 5 min', 300_000],
  ['after 10 min', 600_000],
  ['after 30 min', 1_800_000],
  ['after 2 h', 7_200_000],
];

/** A length of time out of a few; one that is none of the usual ones stays. */
export function TimeChoice({
  label,
  value,
  onChange,
  times = HOLDS,
}: {
  label: string;
  value: number;
  onChange: (value: number) => void;
  times?: readonly [string, number][];
}): ReactNode {
  const all = times.some(([, ms]) => ms === value)
    ? times
    : [...times, [times === HOLDS ? `after ${showDuration(value)}` : showDuration(value), value] as const];
  return (
    <TextField select label={label} value={value} onChange={({ target }) => onChange(Number(target.value))}>
      {all.map(([words, ms]) => (
        <MenuItem key={ms} value={ms}>
          {words}
        </MenuItem>
      ))}
    </TextField>
  );
}
