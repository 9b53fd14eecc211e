import { Box, Button, FormControlLabel, Link, MenuItem, Switch, TextField } from '@mui/material';
import type { ReactNode } from 'react';
import type { OptionFacts, OptionValue } from '@peatmoor/core';
import { under } from '../base';
import { MONO } from '../theme';

/** The field of one option, by what its sort of widget declares. */
export function OptionField({
  facts,
  value,
  placeholder,
  problem,
  onChange,
}: {
  facts: OptionFacts;
  value: OptionValue;
  placeholder: string;
  problem: string | null;
  onChange: (value: OptionValue) => void;
}): ReactNode {
  if (facts.kind === 'boolean')
    return (
      <FormControlLabel
        label={facts.title}
        control={
          <Switch
            checked={value === null ? facts.usual : value === true}
            onChange={(_, on) => onChange(on)}
          />
        }
      />
    );
  const shared = {
    label: facts.title,
    error: problem !== null,
    helperText: problem ?? ' ',
    slotProps: { inputLabel: { shrink: true } },
  };
  if (facts.kind === 'choice')
    return (
      <TextField
        select
        {...shared}
        value={value ?? facts.usual}
        onChange={({ target }) => onChange(target.value)}
      >
        {facts.among.map((one) => (
          <MenuItem key={one} value={one}>
            {one}
          </MenuItem>
        ))}
      </TextField>
    );
  const field = (
    <TextField
      {...shared}
      type={facts.kind === 'number' ? 'number' : 'text'}
      value={value ?? ''}
      placeholder={(facts.kind === 'text' && facts.hint) || placeholder}
      multiline={facts.kind === 'text' && facts.lines !== undefined}
      {...(facts.kind === 'text' &&
        facts.lines !== undefined && {
          minRows: facts.lines,
          maxRows: 2 * facts.lines,
          sx: { gridColumn: '1 / -1' },
        })}
      onChange={({ target }) =>
        onChange(target.value === '' ? null : facts.kind === 'number' ? Number(target.value) : target.value)
      }
      slotProps={{ htmlInput: { step: 'any' }, inputLabel: { shrink: true } }}
    />
  );
  if (facts.kind !== 'text' || facts.examples === undefined) return field;
  return (
    <Box sx={{ gridColumn: '1 / -1', '& textarea': { fontFamily: MONO, fontSize: '0.85rem' } }}>
      {field}
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1, alignItems: 'center' }}>
        Begin with
        {facts.examples.map(({ title, text }) => (
          <Button key={title} size="small" onClick={() => onChange(text)}>
            {title}
          </Button>
        ))}
        <Link href={under('/docs/widget-of-your-own.html')}>How it works</Link>
      </Box>
    </Box>
  );
}
