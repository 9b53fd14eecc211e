import { MenuItem, TextField } from '@mui/material';
import type { ReactNode } from 'react';
import { Controller, useFormContext } from 'react-hook-form';

/** One of a few, in words. */
export function Choice({
  name,
  label,
  options,
  error,
  emptyAs = '',
  onChange,
}: {
  name: string;
  label: string;
  options: [string, string][];
  error?: string | undefined;
  /** What the form holds where the empty one is chosen. */
  emptyAs?: '' | null;
  onChange?: (value: string) => void;
}): ReactNode {
  const { control } = useFormContext();
  return (
    <Controller
      name={name}
      control={control}
      render={({ field }) => (
        <TextField
          select
          label={label}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
          {...field}
          value={(field.value as string | undefined) ?? ''}
          onChange={(event) => {
            field.onChange(event.target.value === '' ? emptyAs : event.target.value);
            onChange?.(event.target.value);
          }}
          error={error !== undefined}
          helperText={error}
        >
          {options.map(([value, words]) => (
            <MenuItem key={value} value={value}>
              {words}
            </MenuItem>
          ))}
        </TextField>
      )}
    />
  );
}
