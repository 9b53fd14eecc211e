import { Box, Checkbox, FormControlLabel, TextField } from '@mui/material';
import type { ReactNode } from 'react';
import { Controller, useFormContext } from 'react-hook-form';
import type { RunAtMost, WithoutLink } from '@peatmoor/core';
import { NumberField } from './NumberField';

const START_RUN: RunAtMost = { value: 'on', mostS: 1200, then: 'off', restS: 600 };
const START_ALONE: WithoutLink = { afterS: 300, value: 'off' };

/** What keeps a control safe: whether it asks first, how long it may stay at a value, and what its board does when it hears nothing. */
export function KeepFields({ type, momentary }: { type: string; momentary: boolean }): ReactNode {
  const { watch, setValue } = useFormContext();
  const run = watch('runAtMost') as RunAtMost | null | undefined;
  const alone = watch('withoutLink') as WithoutLink | null | undefined;
  const plain = type === 'boolean';
  const lasts = !momentary && type !== 'text';
  return (
    <Box sx={{ gridColumn: '1 / -1 !important' }}>
      <Controller
        name="asks"
        render={({ field }) => (
          <FormControlLabel
            control={
              <Checkbox checked={field.value === true} onChange={(_event, on) => field.onChange(on)} />
            }
            label="Ask before it is sent"
          />
        )}
      />
      {lasts && (
        <>
          <FormControlLabel
            control={
              <Checkbox
                checked={run != null}
                onChange={(_event, on) =>
                  setValue(
                    'runAtMost',
                    on ? (plain ? START_RUN : { ...START_RUN, value: '', then: '' }) : null,
                  )
                }
              />
            }
            label="Run at most, then rest"
          />
          <FormControlLabel
            control={
              <Checkbox
                checked={alone != null}
                onChange={(_event, on) =>
                  setValue('withoutLink', on ? (plain ? START_ALONE : { ...START_ALONE, value: '' }) : null)
                }
              />
            }
            label="The board does something when it has no link"
          />
        </>
      )}
      {lasts && run != null && (
        <Fields>
          <Text name="runAtMost.value" label="It may stay at" />
          <Seconds name="runAtMost.mostS" label="For (seconds)" />
          <Text name="runAtMost.then" label="Then it goes to" />
          <Seconds name="runAtMost.restS" label="And rests for (seconds)" />
        </Fields>
      )}
      {lasts && alone != null && (
        <Fields>
          <Seconds name="withoutLink.afterS" label="Nothing heard for (seconds)" />
          <Text name="withoutLink.value" label="The board makes it" />
        </Fields>
      )}
    </Box>
  );
}

function Fields({ children }: { children: ReactNode }): ReactNode {
  return (
    <Box
      sx={{
        display: 'grid',
        gap: 2,
        gridTemplateColumns: { xs: '1fr 1fr', sm: 'repeat(4, 1fr)' },
        mt: 1,
        alignItems: 'start',
      }}
    >
      {children}
    </Box>
  );
}

function Text({ name, label }: { name: string; label: string }): ReactNode {
  const { register, getFieldState, formState } = useFormContext();
  const { error } = getFieldState(name, formState);
  return <TextField label={label} {...register(name)} error={!!error} helperText={error?.message} />;
}

function Seconds({ name, label }: { name: string; label: string }): ReactNode {
  const { getFieldState, formState } = useFormContext();
  return <NumberField name={name} label={label} error={getFieldState(name, formState).error?.message} />;
}
