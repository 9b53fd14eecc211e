import { Box, Button, MenuItem, TextField } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { isScalar, showValue, type Datastream } from '@peatmoor/core';
import { OnOff } from '../parts/OnOff';
import { useDisplay } from '../parts/useDisplay';

/** A field for a colour always shows one: where none is wanted, this, faintly. */
const NO_COLOUR = '#808080';

/** The field with which a person wants a value: the same on a device's page and on a dashboard. */
export function ControlField({
  stream,
  value,
  disabled,
  onSend,
}: {
  stream: Datastream;
  /** What is wanted now, or was last reported; undefined where nothing is known. */
  value: number | string | undefined;
  disabled: boolean;
  onSend: (value: number | boolean | string) => void;
}): ReactNode {
  const display = useDisplay()(stream);
  const [text, setText] = useState('');
  if (stream.type === 'boolean' && stream.holds === 'momentary')
    return (
      <Button disabled={disabled} onClick={() => onSend(true)} sx={{ minHeight: 44, minWidth: 130 }}>
        {stream.title}
      </Button>
    );
  if (stream.type === 'boolean')
    return (
      <OnOff
        on={value === undefined ? undefined : value === 1}
        label={stream.title}
        disabled={disabled}
        onPress={onSend}
      />
    );
  if (stream.type === 'choice')
    return (
      <TextField
        select
        disabled={disabled}
        value={value === undefined ? '' : showValue(stream, value)}
        onChange={({ target }) => onSend(target.value)}
        sx={{ maxWidth: 220 }}
        slotProps={{ htmlInput: { 'aria-label': stream.title }, select: { displayEmpty: true } }}
      >
        {stream.choices.map((choice) => (
          <MenuItem key={choice} value={choice} sx={{ minHeight: 44 }}>
            {choice}
          </MenuItem>
        ))}
      </TextField>
    );
  return (
    <Box
      component="form"
      onSubmit={(event) => {
        event.preventDefault();
        if (text === '') return;
        onSend(isScalar(stream) ? display.wanted(Number(text)) : text);
        setText('');
      }}
      sx={{ display: 'flex', gap: 1, alignItems: 'baseline' }}
    >
      <TextField
        type={isScalar(stream) ? 'number' : stream.type === 'colour' ? 'color' : 'text'}
        placeholder={value === undefined ? '' : display.value(value)}
        value={
          text === '' && stream.type === 'colour'
            ? value === undefined
              ? NO_COLOUR
              : display.value(value)
            : text
        }
        disabled={disabled}
        onChange={({ target }) => setText(target.value)}
        sx={{
          width: isScalar(stream) ? 90 : 200,
          ...(stream.type === 'colour' && text === '' && value === undefined && { opacity: 0.4 }),
        }}
        slotProps={{ htmlInput: { 'aria-label': stream.title, step: 'any' } }}
      />
      {display.unit}
      <Button type="submit" size="small" disabled={disabled || text === ''} sx={{ minHeight: 40 }}>
        Set
      </Button>
    </Box>
  );
}
