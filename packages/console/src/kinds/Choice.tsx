import { MenuItem, TextField } from '@mui/material';
import type { ReactNode } from 'react';
import { Controller, useFormContext } from 'react-hook-form';

/** One of a few, in words. */
export function Choice({
  name,
  label,
  options,
}: {
  name: string;
  label: string;
  options: [string, string][];
}): ReactNode {
  const { control } = useFormContext();
  return (
    <Controller
      name={name}
      control={control}
      render={({ field }) => (
        <TextField select label={label} {...field} value={(field.value as string | undefined) ?? ''}>
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
