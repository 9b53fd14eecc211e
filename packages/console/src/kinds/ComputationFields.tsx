import { Box, Button, MenuItem, TextField, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { useFormContext } from 'react-hook-form';
import {
  COMPUTATION_FORMS,
  FORMULA_FUNCTIONS,
  isScalar,
  RESTARTS,
  showReading,
  WINDOW_TAKES,
  type ComputationForm,
} from '@peatmoor/core';
import type { Kind, NewStream } from '@peatmoor/contract';
import { useChange } from '../api';
import { Notice } from '../parts/Notice';
import { dates } from '../parts/time';
import { ink, MONO } from '../theme';
import { Choice } from './Choice';
import { NumberField } from './NumberField';

const FORM_WORDS: Record<ComputationForm, string> = {
  formula: 'a formula over several',
  integral: 'value × time added up (W to Wh)',
  change: 'change from the reading before',
  rate: 'change in so much time',
  counter: 'a counter that may begin again at zero',
  sum: 'sum of the hour or day',
  moving: 'mean, least or greatest of the last while',
};
const RESTART_WORDS = { never: 'never', hour: 'with each hour', day: 'with each day' } as const;
const TAKE_WORDS = { mean: 'mean', min: 'least', max: 'greatest' } as const;
const starts = (zone: string): Record<ComputationForm, object> => ({
  formula: { formula: '', gapS: 86_400 },
  integral: { perS: 3600, gapS: 3600, restarts: 'never', zone },
  change: {},
  rate: { perS: 3600 },
  counter: { restarts: 'never', zone },
  sum: { restarts: 'day', zone },
  moving: { take: 'mean', overS: 3600 },
});

/** What a computed datastream begins with. */
export const startComputation = (form: ComputationForm, of: string): object => ({
  form,
  ...(form !== 'formula' && { of }),
  ...starts(dates().zone)[form],
});

/** How a datastream is computed from others of its kind, and what that makes of recent readings. */
export function ComputationFields({ kind }: { kind: Kind }): ReactNode {
  const { watch, setValue, register, getFieldState, formState, getValues } = useFormContext();
  const tried = useChange('tryComputation');
  const form = watch('computation.form') as ComputationForm;
  const own = watch('key') as string;
  const others = kind.streams.filter(({ key }) => key !== own);
  const inputs = others.filter((one) => isScalar(one) || one.type === 'boolean');
  const of = (watch('computation.of') as string | undefined) ?? '';
  const first = of || (inputs[0]?.key ?? '');
  const formula = getFieldState('computation.formula', formState).error;
  return (
    <Box sx={{ display: 'grid', gap: 2, gridTemplateColumns: { xs: '1fr', sm: '1fr 1fr 1fr' } }}>
      <TextField
        select
        label="Computed as"
        value={form}
        onChange={({ target }) =>
          setValue('computation', startComputation(target.value as ComputationForm, first))
        }
      >
        {COMPUTATION_FORMS.map((one) => (
          <MenuItem key={one} value={one}>
            {FORM_WORDS[one]}
          </MenuItem>
        ))}
      </TextField>
      {form === 'formula' ? (
        <TextField
          sx={{ gridColumn: { sm: 'span 2' } }}
          label="Formula"
          placeholder={inputs[0] === undefined ? 'level / 10' : `${inputs[0].key} / 10`}
          {...register('computation.formula')}
          error={formula !== undefined}
          helperText={
            formula?.message ??
            `CEL. It may read ${others.map(({ key }) => key).join(', ') || 'nothing yet'}; and ${Object.keys(FORMULA_FUNCTIONS).join(', ')}.`
          }
          slotProps={{ htmlInput: { style: { fontFamily: MONO } }, inputLabel: { shrink: true } }}
        />
      ) : (
        <Choice name="computation.of" label="From" options={inputs.map(({ key, title }) => [key, title])} />
      )}
      {(form === 'integral' || form === 'rate') && (
        <NumberField name="computation.perS" label="Counted in … seconds (3600: an hour)" />
      )}
      {(form === 'integral' || form === 'counter' || form === 'sum') && (
        <Choice
          name="computation.restarts"
          label="Begins again at zero"
          options={RESTARTS.filter((one) => form !== 'sum' || one !== 'never').map((one) => [
            one,
            RESTART_WORDS[one],
          ])}
        />
      )}
      {form === 'moving' && (
        <>
          <Choice
            name="computation.take"
            label="Which"
            options={WINDOW_TAKES.map((one) => [one, TAKE_WORDS[one]])}
          />
          <NumberField name="computation.overS" label="Of the last … seconds" />
        </>
      )}
      {(form === 'formula' || form === 'integral') && (
        <NumberField
          name="computation.gapS"
          label={
            form === 'formula'
              ? 'A value counts for … seconds'
              : 'A silence longer than … seconds adds nothing'
          }
        />
      )}
      <Box sx={{ gridColumn: '1 / -1' }}>
        <Button
          disabled={tried.isPending}
          onClick={() => {
            const { unconfirmed: _new, ...stream } = getValues() as NewStream;
            tried.mutate({
              params: { kind: kind.id },
              body: { stream: { ...stream, key: stream.key || 'tried', title: stream.title || 'Tried' } },
            });
          }}
        >
          Try it on recent readings
        </Button>
        <Notice error={tried.error} />
        {tried.data && (
          <Box data-preview sx={{ mt: 1.5 }}>
            {tried.data.preview.length === 0 ? (
              <Typography color="textSecondary">
                It is right as it stands. There are no readings yet to show it on.
              </Typography>
            ) : (
              <>
                <Typography color="textSecondary">
                  From {tried.data.inputs.join(', ')} of {tried.data.device}, the newest last:
                </Typography>
                <Box sx={{ fontFamily: MONO, display: 'flex', flexWrap: 'wrap', columnGap: 2 }}>
                  {tried.data.preview.slice(-10).map(([at, value]) => (
                    <span key={at} title={dates().exact(at)} style={{ color: ink.pool }}>
                      {dates().figure(showReading(getValues() as NewStream, value))}
                    </span>
                  ))}
                </Box>
              </>
            )}
          </Box>
        )}
      </Box>
    </Box>
  );
}
