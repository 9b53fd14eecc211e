import { Box, Button, FormControlLabel, Link, MenuItem, Switch, TextField } from '@mui/material';
import type { ReactNode } from 'react';
import {
  choicesOf,
  ICONS,
  readIcons,
  type Datastream,
  type OptionFacts,
  type OptionValue,
} from '@peatmoor/core';
import { under } from '../base';
import { KindMark } from '../parts/KindMark';
import { MONO } from '../theme';

/** The field of one option, by what its sort of widget declares. */
export function OptionField({
  facts,
  stream,
  value,
  placeholder,
  problem,
  onChange,
}: {
  facts: OptionFacts;
  /** The datastream of the widget: its choices have drawings. */
  stream?: Datastream | undefined;
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
  if (facts.kind === 'icons')
    return (
      <IconFields value={value} choices={stream === undefined ? [] : choicesOf(stream)} onChange={onChange} />
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

/** A drawing for each choice. */
function IconFields({
  value,
  choices,
  onChange,
}: {
  value: OptionValue;
  choices: readonly string[];
  onChange: (value: OptionValue) => void;
}): ReactNode {
  const read = readIcons(typeof value === 'string' ? value : '');
  const icons = typeof read === 'string' ? [] : read;
  return (
    <Box
      sx={{
        gridColumn: '1 / -1',
        display: 'grid',
        gridTemplateColumns: 'repeat(auto-fill, minmax(150px, 1fr))',
        gap: 2,
      }}
    >
      {choices.map((choice, at) => (
        <TextField
          key={choice}
          select
          label={`Drawing of ${choice}`}
          value={icons[at] ?? ''}
          onChange={({ target }) => {
            const next = choices.map((_, i) => (i === at ? target.value : (icons[i] ?? '')));
            onChange(next.some(Boolean) ? next.join(', ') : null);
          }}
          slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
        >
          {ICONS.map((icon) => (
            <MenuItem key={icon} value={icon}>
              <KindMark icon={icon} /> {icon || 'none'}
            </MenuItem>
          ))}
        </TextField>
      ))}
    </Box>
  );
}
