import { TextField } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { timeWords } from '@peatmoor/core';

const shown = (minutes: number): string => timeWords({ base: 'clock', minutes: minutes % 1440 });

/** A time of day, as minutes after midnight. What is half written is told to nobody; it is told on leaving, or with every change. */
export function ClockField({
  label,
  value,
  onChange,
  onLeaving = false,
  wide = false,
}: {
  label: string;
  value: number;
  onChange: (minutes: number) => void;
  /** Tells once it is left, where each telling costs something. */
  onLeaving?: boolean;
  wide?: boolean;
}): ReactNode {
  const [written, setWritten] = useState<string | null>(null);
  const tell = (text: string): void => {
    const [hours = NaN, minutes = NaN] = text.split(':').map(Number);
    const all = hours * 60 + minutes;
    if (Number.isInteger(all) && all !== value) onChange(all);
  };
  return (
    <TextField
      type="time"
      size={onLeaving ? 'small' : 'medium'}
      label={label}
      fullWidth={wide}
      {...(!wide && { sx: { width: 130 } })}
      value={written ?? shown(value)}
      onChange={({ target }) => {
        setWritten(target.value);
        if (!onLeaving) tell(target.value);
      }}
      onBlur={({ target }) => {
        if (onLeaving) tell(target.value);
        setWritten(null);
      }}
      slotProps={{ inputLabel: { shrink: true } }}
    />
  );
}
