import { TextField } from '@mui/material';
import type { ReactNode } from 'react';
import { Controller, useFormContext } from 'react-hook-form';

/** A number that may be left empty. */
export function NumberField({
  name,
  label,
  error,
}: {
  name: string;
  label: string;
  error?: string | undefined;
}): ReactNode {
  const { control } = useFormContext();
  return (
    <Controller
      name={name}
      control={control}
      render={({ field }) => (
        <TextField
          label={label}
          type="number"
          name={field.name}
          value={(field.value as number | null) ?? ''}
          onBlur={field.onBlur}
          onChange={({ target }) => field.onChange(target.value === '' ? null : Number(target.value))}
          error={error !== undefined}
          helperText={error}
          slotProps={{ htmlInput: { step: 'any' }, inputLabel: { shrink: true } }}
        />
      )}
    />
  );
}
