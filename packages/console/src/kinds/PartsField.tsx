import { Autocomplete, TextField } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { findModules, MODULES, showUnit, type Module } from '@peatmoor/core';
import { Offered } from '../parts/Offered';

/** Puts a part on the board: found by what it measures, in a maker's words. */
export function PartsField({ onAdd }: { onAdd: (module: Module) => void }): ReactNode {
  const [text, setText] = useState('');
  return (
    <Autocomplete
      options={MODULES}
      value={null}
      blurOnSelect={false}
      inputValue={text}
      onInputChange={(_event, typed, reason) => setText(reason === 'input' ? typed : '')}
      onChange={(_event, chosen) => {
        if (chosen !== null) onAdd(chosen);
        setText('');
      }}
      getOptionLabel={({ title }) => title}
      getOptionKey={({ key }) => key}
      filterOptions={(_all, { inputValue }) => findModules(inputValue)}
      noOptionsText="No part of that name. Add a datastream below and write its own lines."
      renderOption={(about, one) => (
        <Offered key={about.key} about={about} what={one.title} more={unitsOf(one)} />
      )}
      slotProps={{ popper: { style: { minWidth: 320 } } }}
      renderInput={(params) => (
        <TextField
          {...params}
          label="Add a part that is on the board"
          placeholder="temperature, CO2, relay …"
          helperText="Its datastreams come with names, units, ranges and pins, and its lines of the program."
          slotProps={{
            ...params.slotProps,
            inputLabel: { ...(params.slotProps?.inputLabel as object), shrink: true },
          }}
        />
      )}
    />
  );
}

const unitsOf = ({ measures }: Module): string =>
  [
    ...new Set(
      measures.map(({ stream }) =>
        stream.direction === 'control' ? 'output' : showUnit(stream.unit) || stream.type,
      ),
    ),
  ].join(', ');
