import { Box, Button, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { useFieldArray, useFormContext } from 'react-hook-form';
import { showUnit, streamsOfModules, type Datastream, type Module } from '@peatmoor/core';
import type { NewStream } from '@peatmoor/contract';
import { EMPTY_STREAM } from '../kinds/emptyStream';
import { PartsField } from '../kinds/PartsField';
import { StreamFields } from '../kinds/StreamFields';
import { dates } from '../parts/time';
import { ink, MONO } from '../theme';
import type { NewDeviceFields } from './newDeviceSchema';

/** The datastreams of a new kind, a line each. */
export function NewStreams(): ReactNode {
  const { getValues } = useFormContext<NewDeviceFields>();
  const { fields, append, remove, replace } = useFieldArray<NewDeviceFields, 'streams'>({ name: 'streams' });
  // What a part filled in is one line until somebody wants to change it.
  const [opened, setOpened] = useState<ReadonlySet<string>>(new Set());
  const add = (module: Module): void => {
    const there = getValues('streams').filter(({ title, key }) => title !== '' || key !== '');
    const made = streamsOfModules([module], dates().zone, there as Datastream[]);
    replace([...there, ...made.map((one) => ({ ...one, unconfirmed: false }))]);
  };
  return (
    <Box sx={{ mt: 5 }}>
      <Typography variant="h2">What it measures and accepts</Typography>
      <Typography color="textSecondary" variant="body2" sx={{ mb: 2 }}>
        Each line is a datastream. More can be added at any time, also from a name that arrives.
      </Typography>
      <Box sx={{ maxWidth: 520, mb: 2 }}>
        <PartsField onAdd={add} />
      </Box>
      {fields.map((field, i) => {
        const folded = (field.part !== null || field.computation !== null) && !opened.has(field.key);
        return (
          <Box
            key={field.id}
            data-stream={i}
            sx={{
              borderTop: `1px solid ${ink.line}`,
              py: folded ? 1 : 2.5,
              ...(folded && { display: 'flex', flexWrap: 'wrap', alignItems: 'baseline', columnGap: 2 }),
            }}
          >
            {folded ? (
              <>
                <b>{field.title}</b>
                <Box component="span" sx={{ fontFamily: MONO }}>
                  {field.key}
                </Box>
                <Box component="span" sx={{ color: ink.soft, flexGrow: 1 }}>
                  {saidOf(field)}
                </Box>
                <Button
                  variant="text"
                  size="small"
                  aria-label={`Change ${field.title}`}
                  onClick={() => setOpened(new Set([...opened, field.key]))}
                >
                  Change
                </Button>
              </>
            ) : (
              <StreamFields name={`streams.${i}`} />
            )}
            <Button
              variant="text"
              size="small"
              aria-label={`Leave out ${field.title || 'this datastream'}`}
              onClick={() => remove(i)}
              sx={folded ? {} : { mt: 1 }}
            >
              Leave out
            </Button>
          </Box>
        );
      })}
      <Button onClick={() => append(EMPTY_STREAM)}>Add a datastream</Button>
    </Box>
  );
}

/** A datastream in a line: what it comes from, how far it goes, and where it is wired. */
function saidOf(stream: NewStream): string {
  const { unit, min, max, boardPin, direction, computation, type } = stream as Datastream;
  return [
    computation !== null ? 'computed' : direction === 'control' ? 'output' : '',
    type === 'number' || type === 'integer' ? '' : type,
    min !== null && max !== null
      ? `${min} to ${max} ${showUnit(unit)}`.trim()
      : unit === null
        ? ''
        : `in ${showUnit(unit) || unit}`,
    boardPin,
  ]
    .filter(Boolean)
    .join(' · ');
}
