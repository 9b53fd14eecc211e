import { Box, Button, TextField, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { useFieldArray, useFormContext } from 'react-hook-form';
import { FOLLOW_WAYS, isMeasured, isNumeric, showUnit, type FollowWay } from '@peatmoor/core';
import type { Kind } from '@peatmoor/contract';
import { Choice } from './Choice';
import { NumberField } from './NumberField';

const WAY_WORDS: Record<FollowWay, string> = {
  same: 'comes to what is wanted',
  level: 'comes to a level',
  rise: 'rises or falls by',
};
const EMPTY = { wanted: '', min: null, max: null };

/** What a control's follow begins with. */
export const startFollow = (stream: string): object => ({
  stream,
  way: 'same',
  withinS: 30,
  tolerance: 0,
  steps: [],
});

/** What must be measured for a wanted value to be confirmed. */
export function FollowFields({ kind }: { kind: Kind }): ReactNode {
  const { watch, register, getFieldState, formState, control, setValue } = useFormContext();
  const { fields, append, remove } = useFieldArray({ control, name: 'follow.steps' });
  const way = watch('follow.way') as FollowWay;
  const measured = kind.streams.filter((one) => isMeasured(one) && isNumeric(one));
  const chosen = measured.find(({ key }) => key === watch('follow.stream'));
  const error = (field: string): string | undefined =>
    getFieldState(`follow.${field}`, formState).error?.message;
  const unit = chosen?.unit ? ` (${showUnit(chosen.unit)})` : '';
  return (
    <Box sx={{ display: 'grid', gap: 2, gridTemplateColumns: { xs: '1fr', sm: 'repeat(4, 1fr)' }, mt: 1 }}>
      <Choice
        name="follow.stream"
        label="What follows"
        options={measured.map(({ key, title }) => [key, title])}
        error={error('stream')}
      />
      <Choice
        name="follow.way"
        label="It"
        options={FOLLOW_WAYS.map((one) => [one, WAY_WORDS[one]])}
        onChange={(next) => next !== 'same' && fields.length === 0 && setValue('follow.steps', [EMPTY])}
      />
      <NumberField name="follow.withinS" label="Within (seconds)" error={error('withinS')} />
      {way === 'same' && (
        <NumberField name="follow.tolerance" label={`Give or take${unit}`} error={error('tolerance')} />
      )}
      {way !== 'same' && (
        <Box sx={{ gridColumn: '1 / -1', display: 'grid', gap: 1.5 }}>
          {fields.map(({ id }, i) => (
            <Box
              key={id}
              sx={{
                display: 'grid',
                gap: 2,
                gridTemplateColumns: { xs: '1fr 1fr', sm: '2fr 1fr 1fr auto' },
                alignItems: 'end',
              }}
            >
              <TextField
                label="When this is wanted"
                placeholder="any value"
                {...register(`follow.steps.${i}.wanted`)}
                error={error(`steps[${i}].wanted`) !== undefined}
                helperText={error(`steps[${i}].wanted`)}
              />
              <NumberField
                name={`follow.steps.${i}.min`}
                label={`At least${unit}`}
                error={error(`steps[${i}].min`)}
              />
              <NumberField
                name={`follow.steps.${i}.max`}
                label={`At most${unit}`}
                error={error(`steps[${i}].max`)}
              />
              <Button variant="text" disabled={fields.length === 1} onClick={() => remove(i)}>
                Remove
              </Button>
            </Box>
          ))}
          <Button sx={{ justifySelf: 'start' }} onClick={() => append(EMPTY)}>
            For another wanted value
          </Button>
        </Box>
      )}
      {measured.length === 0 && (
        <Typography color="textSecondary">This kind reports nothing yet that could follow.</Typography>
      )}
    </Box>
  );
}
