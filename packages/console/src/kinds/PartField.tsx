import { Autocomplete, Box, TextField } from '@mui/material';
import type { ReactNode } from 'react';
import { useFormContext } from 'react-hook-form';
import { findModules, partOf, PARTS, proposeKey, showUnit, withPart, wiringOf } from '@peatmoor/core';
import { Offered } from '../parts/Offered';
import { Wiring } from './Wiring';

/** The part a datastream comes from. Choosing one fills in what is known of it: type, unit, range, decimals, direction and pin. */
export function PartField({ name }: { name: string }): ReactNode {
  const { watch, setValue } = useFormContext();
  const at = (field: string): string => (name === '' ? field : `${name}.${field}`);
  const part = partOf((watch(at('part')) as string | null | undefined) ?? null);
  const title = watch(at('title')) as string;
  const wired = wiringOf([
    {
      key: '',
      title: title || (part?.title ?? ''),
      part: part?.key ?? null,
      boardPin: (watch(at('boardPin')) as string | undefined) ?? '',
    },
  ])[0];
  const choose = (key: string | null): void => {
    const chosen = partOf(key);
    setValue(at('part'), key);
    if (chosen === undefined) return;
    for (const [field, value] of Object.entries(withPart(chosen))) setValue(at(field), value);
    if (title) return;
    setValue(at('title'), chosen.measure.title);
    setValue(at('key'), proposeKey(chosen.measure.title));
  };
  return (
    <Box sx={{ gridColumn: { xs: '1 / -1 !important', sm: 'span 5 !important' } }}>
      <Autocomplete
        options={PARTS}
        value={part ?? null}
        onChange={(_event, chosen) => choose(chosen?.key ?? null)}
        getOptionLabel={(one) => one.title}
        getOptionKey={({ key }) => key}
        filterOptions={(_all, { inputValue }) =>
          findModules(inputValue).flatMap((module) => PARTS.filter((one) => one.module === module))
        }
        renderOption={(about, one) => (
          <Offered
            key={about.key}
            about={about}
            what={one.title}
            more={[showUnit(one.stream.unit), one.stream.direction === 'control' ? 'output' : '']
              .filter(Boolean)
              .join(' ')}
          />
        )}
        slotProps={{ popper: { style: { minWidth: 320 } } }}
        renderInput={(params) => (
          <TextField
            {...params}
            label="Part, if it is a common one"
            placeholder="thermistor, relay, rain …"
            helperText={
              part === undefined
                ? 'Fills in unit, range, wiring and the lines of the program.'
                : `Not more often than every ${part.shortestS} s.`
            }
            slotProps={{
              ...params.slotProps,
              inputLabel: { ...(params.slotProps?.inputLabel as object), shrink: true },
            }}
          />
        )}
      />
      {wired && <Wiring wired={[wired]} />}
    </Box>
  );
}
