import { Autocomplete, Box, Checkbox, FormControlLabel, TextField } from '@mui/material';
import type { ReactNode } from 'react';
import { Controller, useFormContext, type FieldError } from 'react-hook-form';
import {
  DIRECTIONS,
  isScalar,
  lineBetween,
  proposeKey,
  RANGE_POLICIES,
  readUnit,
  UNITS,
  VALUE_TYPES,
  type Computation,
  type Follow,
} from '@peatmoor/core';
import type { Kind } from '@peatmoor/contract';
import { MONO } from '../theme';
import { Choice } from './Choice';
import { FollowFields, startFollow } from './FollowFields';
import { ComputationFields, startComputation } from './ComputationFields';
import { KeepFields } from './KeepFields';
import { NumberField } from './NumberField';
import { Offered } from '../parts/Offered';
import { PartField } from './PartField';
import { ColourField, EmptyText, NamesField } from './TextFields';

const DIRECTION_WORDS = {
  report: 'the device reports it',
  control: 'people control it',
  both: 'both',
} as const;
const POLICY_WORDS = {
  refuse: 'refuse the value',
  limit: 'limit it to the range',
  mark: 'keep it, and mark it',
} as const;

/** The fields of one datastream; `name` is its path within the form, such as `streams.0`. With its kind, all of them. */
export function StreamFields({ name, kind }: { name: string; kind?: Kind | undefined }): ReactNode {
  const full = kind !== undefined;
  const { register, watch, setValue, getFieldState, formState } = useFormContext();
  const at = (field: string): string => (name === '' ? field : `${name}.${field}`);
  const error = (field: string): FieldError | undefined => getFieldState(at(field), formState).error;
  const type: string = watch(at('type')) as string;
  const title: string = watch(at('title')) as string;
  const direction = watch(at('direction')) as string;
  const holds = watch(at('holds')) as string;
  const numeric = isScalar({ type: type as 'number' });
  const computed = (watch(at('computation')) as Computation | null | undefined) ?? null;
  const follow = (watch(at('follow')) as Follow | null | undefined) ?? null;
  const unit = (watch(at('unit')) as string | null | undefined) ?? null;
  const sends = type === 'number' && direction === 'report' && computed === null ? unitsBeside(unit) : [];
  const line = (field: string, label: string, more: object = {}) => (
    <TextField
      label={label}
      {...register(at(field))}
      error={!!error(field)}
      helperText={error(field)?.message}
      {...more}
    />
  );
  return (
    <Box
      sx={{
        display: 'grid',
        gap: 2,
        gridTemplateColumns: { xs: '1fr 1fr', sm: 'repeat(12, 1fr)' },
        '& > *': { gridColumn: { xs: 'span 1', sm: 'span 3' } },
      }}
    >
      <Box sx={{ gridColumn: { xs: '1 / -1 !important', sm: 'span 4 !important' } }}>
        {line('title', 'What it is', {
          placeholder: 'Water level',
          ...register(at('title'), {
            onChange: (event: { target: { value: string } }) => {
              const before = watch(at('key')) as string;
              if (before === '' || before === proposeKey(title ?? ''))
                setValue(at('key'), proposeKey(event.target.value));
            },
          }),
        })}
      </Box>
      <Box sx={{ gridColumn: { sm: 'span 3 !important' } }}>
        {line('key', 'Key on the wire', {
          slotProps: { htmlInput: { style: { fontFamily: MONO } }, inputLabel: { shrink: true } },
        })}
      </Box>
      <Box sx={{ gridColumn: { sm: 'span 2 !important' } }}>
        <Choice name={at('type')} label="Type" options={VALUE_TYPES.map((one) => [one, one])} />
      </Box>
      {computed === null ? (
        <Box sx={{ gridColumn: { xs: '1 / -1 !important', sm: 'span 3 !important' } }}>
          <Choice
            name={at('direction')}
            label="Direction"
            options={DIRECTIONS.map((one) => [one, DIRECTION_WORDS[one]])}
          />
        </Box>
      ) : (
        <Box sx={{ alignSelf: 'end', pb: 0.5 }}>computed from others</Box>
      )}
      {computed === null && <PartField name={name} />}
      {numeric && (
        <>
          <UnitField name={at('unit')} beside={at('sentUnit')} />
          <Narrow>
            <NumberField name={at('min')} label="From" error={error('min')?.message} />
          </Narrow>
          <Narrow>
            <NumberField name={at('max')} label="To" error={error('max')?.message} />
          </Narrow>
          {type === 'number' && (
            <Narrow>
              <NumberField name={at('decimals')} label="Decimals" error={error('decimals')?.message} />
            </Narrow>
          )}
        </>
      )}
      {full && sends.length > 0 && (
        <Choice
          name={at('sentUnit')}
          label="The board sends it in"
          emptyAs={null}
          options={[['', 'the same unit'], ...sends]}
          error={error('sentUnit')?.message}
        />
      )}
      {full && numeric && computed === null && (
        <Choice
          name={at('rangePolicy')}
          label="Outside the range"
          options={RANGE_POLICIES.map((one) => [one, POLICY_WORDS[one]])}
        />
      )}
      {type === 'choice' && (
        <Box sx={{ gridColumn: { xs: '1 / -1 !important', sm: 'span 6 !important' } }}>
          <ChoicesField name={at('choices')} error={error('choices')?.message} />
        </Box>
      )}
      {computed === null && (
        <NumberField name={at('pin')} label="Virtual pin" error={error('pin')?.message} />
      )}
      {full && (
        <>
          {computed === null && line('boardPin', 'Pin of the board', { placeholder: 'GPIO 34' })}
          {computed === null && direction !== 'report' && (
            <>
              <Choice
                name={at('holds')}
                label="A wanted value"
                options={[
                  ['lasting', 'holds until another'],
                  ['momentary', 'is a press, once'],
                ]}
              />
              <NumberField
                name={at('timeLimitS')}
                label={
                  holds === 'momentary'
                    ? 'Time limit (seconds; empty: two report intervals)'
                    : 'Time limit (seconds)'
                }
                error={error('timeLimitS')?.message}
              />
            </>
          )}
          {computed === null && direction !== 'report' && holds !== 'momentary' && (
            <EmptyText
              name={at('defaultValue')}
              label="Default value"
              error={error('defaultValue')?.message}
            />
          )}
          {computed === null && direction !== 'report' && (
            <Box sx={{ gridColumn: '1 / -1 !important' }}>
              <FormControlLabel
                control={
                  <Checkbox
                    checked={follow !== null}
                    onChange={(_event, on) =>
                      setValue(
                        at('follow'),
                        on ? startFollow(direction === 'both' ? (watch(at('key')) as string) : '') : null,
                      )
                    }
                  />
                }
                label="Something that is measured must follow it"
              />
              {follow !== null && <FollowFields kind={kind} />}
            </Box>
          )}
          {computed === null && direction !== 'report' && (
            <KeepFields type={type} momentary={holds === 'momentary'} />
          )}
          <NamesField name={at('aliases')} />
          <ColourField name={at('colour')} />
          <NumberField
            name={at('keepDays')}
            label="Keep for … days (empty: for ever)"
            error={error('keepDays')?.message}
          />
          <Box sx={{ gridColumn: { xs: '1 / -1 !important', sm: 'span 12 !important' } }}>
            {line('description', 'Notes')}
          </Box>
          {['number', 'integer', 'boolean'].includes(type) && (
            <Box sx={{ gridColumn: '1 / -1 !important' }}>
              <FormControlLabel
                control={
                  <Checkbox
                    checked={computed !== null}
                    onChange={(_event, on) =>
                      setValue(at('computation'), on ? startComputation('formula', '') : null)
                    }
                  />
                }
                label="Computed from other datastreams of the device"
              />
              {computed !== null && <ComputationFields kind={kind} />}
            </Box>
          )}
        </>
      )}
    </Box>
  );
}

/** Other units of the same quantity. */
function unitsBeside(unit: string | null): [string, string][] {
  return unit === null
    ? []
    : UNITS.filter(({ code }) => code !== unit && lineBetween(code, unit) !== null).map(({ code, shown }) => [
        code,
        shown || code,
      ]);
}

/** The texts of a choice, with commas between. */
function ChoicesField({ name, error }: { name: string; error?: string | undefined }): ReactNode {
  const { control } = useFormContext();
  return (
    <Controller
      name={name}
      control={control}
      render={({ field }) => (
        <TextField
          label="Choices, with commas between"
          placeholder="closed, half open, open"
          defaultValue={(field.value as string[]).join(', ')}
          onBlur={field.onBlur}
          onChange={({ target }) =>
            field.onChange(
              target.value
                .split(',')
                .map((text) => text.trim())
                .filter((text) => text !== ''),
            )
          }
          error={error !== undefined}
          helperText={error}
        />
      )}
    />
  );
}

function Narrow({ children }: { children: ReactNode }): ReactNode {
  return <Box sx={{ gridColumn: { sm: 'span 2 !important' } }}>{children}</Box>;
}

function UnitField({ name, beside }: { name: string; beside: string }): ReactNode {
  const { control, getValues, setValue } = useFormContext();
  return (
    <Controller
      name={name}
      control={control}
      render={({ field }) => (
        <Autocomplete
          freeSolo
          autoSelect
          options={UNITS}
          value={UNITS.find(({ code }) => code === field.value) ?? (field.value as string | null)}
          onChange={(_event, unit) => {
            const code = typeof unit === 'string' ? (readUnit(unit) ?? unit) : (unit?.code ?? null);
            field.onChange(code);
            // What boards send must measure the same.
            const sent = getValues(beside) as string | null | undefined;
            if (sent != null && (code === null || lineBetween(sent, code) === null)) setValue(beside, null);
          }}
          getOptionLabel={(unit) => (typeof unit === 'string' ? unit : unit.shown || unit.code)}
          getOptionKey={(unit) => (typeof unit === 'string' ? unit : unit.code)}
          filterOptions={(units, { inputValue }) => {
            const wanted = inputValue.trim().toLowerCase();
            return units.filter(({ code, shown, quantity }) =>
              `${code} ${shown} ${quantity}`.toLowerCase().includes(wanted),
            );
          }}
          renderOption={(about, { shown, quantity, code }) => (
            <Offered key={about.key} about={about} what={shown || code} more={quantity} />
          )}
          slotProps={{ popper: { style: { minWidth: 280 } } }}
          renderInput={(params) => (
            <TextField
              {...params}
              label="Unit"
              placeholder="°C, mm, light …"
              slotProps={{
                ...params.slotProps,
                inputLabel: { ...(params.slotProps?.inputLabel as object), shrink: true },
              }}
            />
          )}
        />
      )}
    />
  );
}
