import { Box, Checkbox, FormControlLabel, FormHelperText, TextField } from '@mui/material';
import type { ReactNode } from 'react';
import { useFormContext } from 'react-hook-form';
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
  // What is set stays to be seen where it does not fit any more, so that it can be taken away.
  const fits = !momentary && type !== 'text';
  return (
    <Box sx={{ gridColumn: '1 / -1 !important' }}>
      <Set
        label="Ask before it is sent"
        on={watch('asks') === true}
        onSet={(on) => setValue('asks', on, { shouldDirty: true })}
      />
      {(fits || run != null) && (
        <Set
          label="Run at most, then rest"
          on={run != null}
          onSet={(on) =>
            setValue('runAtMost', on ? (plain ? START_RUN : { ...START_RUN, value: '', then: '' }) : null)
          }
        />
      )}
      {(fits || alone != null) && (
        <Set
          label="The board does something when it has no link"
          on={alone != null}
          onSet={(on) =>
            setValue('withoutLink', on ? (plain ? START_ALONE : { ...START_ALONE, value: '' }) : null)
          }
        />
      )}
      {run != null && (
        <Fields of="runAtMost">
          <Text name="runAtMost.value" label="It may stay at" />
          <Seconds name="runAtMost.mostS" label="For (seconds)" />
          <Text name="runAtMost.then" label="Then it goes to" />
          <Seconds name="runAtMost.restS" label="And rests for (seconds)" />
        </Fields>
      )}
      {alone != null && (
        <Fields of="withoutLink">
          <Seconds name="withoutLink.afterS" label="Nothing heard for (seconds)" />
          <Text name="withoutLink.value" label="The board makes it" />
        </Fields>
      )}
    </Box>
  );
}

function Set({ label, on, onSet }: { label: string; on: boolean; onSet: (on: boolean) => void }): ReactNode {
  return (
    <FormControlLabel
      control={<Checkbox checked={on} onChange={(_event, next) => onSet(next)} />}
      label={label}
    />
  );
}

/** The fields of one thing that is set, with what is wrong with all of it. */
function Fields({ of, children }: { of: string; children: ReactNode }): ReactNode {
  const { getFieldState, formState } = useFormContext();
  const wrong = getFieldState(of, formState).error?.message;
  return (
    <Box
      sx={{
        display: 'grid',
        gap: 2,
        gridTemplateColumns: { xs: '1fr', sm: 'repeat(4, 1fr)' },
        mt: 1,
        alignItems: 'start',
      }}
    >
      {children}
      {wrong !== undefined && (
        <FormHelperText error sx={{ gridColumn: '1 / -1' }}>
          {wrong}
        </FormHelperText>
      )}
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
