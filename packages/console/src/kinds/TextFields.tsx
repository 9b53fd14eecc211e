import { Box, Button, TextField } from '@mui/material';
import type { ReactNode } from 'react';
import { Controller, useFormContext } from 'react-hook-form';
import { MONO } from '../theme';

/** A text that may be left empty: then it is none. */
export function EmptyText({
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
          value={(field.value as string | null) ?? ''}
          onBlur={field.onBlur}
          onChange={({ target }) => field.onChange(target.value === '' ? null : target.value)}
          error={error !== undefined}
          helperText={error}
        />
      )}
    />
  );
}

/** Other names that the firmware may use, with commas between. */
export function NamesField({ name }: { name: string }): ReactNode {
  const { control } = useFormContext();
  return (
    <Controller
      name={name}
      control={control}
      render={({ field }) => (
        <TextField
          label="Other names on the wire"
          placeholder="lvl, water"
          defaultValue={((field.value as string[] | undefined) ?? []).join(', ')}
          onBlur={field.onBlur}
          onChange={({ target }) =>
            field.onChange(
              target.value
                .split(',')
                .map((text) => text.trim())
                .filter((text) => text !== ''),
            )
          }
          slotProps={{ htmlInput: { style: { fontFamily: MONO } }, inputLabel: { shrink: true } }}
        />
      )}
    />
  );
}

/** Colour of a datastream's lines; none takes the next of the palette. */
export function ColourField({ name }: { name: string }): ReactNode {
  const { control } = useFormContext();
  return (
    <Controller
      name={name}
      control={control}
      render={({ field }) => (
        <Box sx={{ display: 'flex', alignItems: 'flex-end', gap: 1 }}>
          <TextField
            label="Colour of its lines"
            type="color"
            value={(field.value as string | null) ?? '#2b5f6e'}
            onChange={({ target }) => field.onChange(target.value)}
            sx={{ width: 110, '& input': { opacity: field.value === null ? 0.5 : 1 } }}
          />
          {field.value !== null && (
            <Button variant="text" size="small" onClick={() => field.onChange(null)}>
              None
            </Button>
          )}
        </Box>
      )}
    />
  );
}
