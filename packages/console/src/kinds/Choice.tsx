import { MenuItem, TextField } from '@mui/material';
import type { ReactNode } from 'react';
import { Controller, useFormContext } from 'react-hook-form';

/** One of a few, in words. */
export function Choice({
  name,
  label,
  options,
  error,
  onChange,
}: {
  name: string;
  label: string;
  options: [string, string][];
  error?: string | undefined;
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
          {...field}
          value={(field.value as string | undefined) ?? ''}
          onChange={(event) => {
            field.onChange(event);
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
