import { Box, Button, MenuItem, TextField } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { isScalar, showValue, type Datastream } from '@peatmoor/core';
import { OnOff } from '../parts/OnOff';
import { useDisplay } from '../parts/useDisplay';
import { ink } from '../theme';

/** A field for a colour always shows one: where none is wanted, this, faintly. */
const NO_COLOUR = '#808080';

/** The field with which a person wants a value: the same on a device's page and on a dashboard. */
export function ControlField({
  stream,
  value,
  has,
  disabled,
  busy,
  step = null,
  onSend,
}: {
  stream: Datastream;
  /** What is on its way, or what the board has; undefined where nothing is known. */
  value: number | string | undefined;
  /** The same of a control that is on or off. */
  has: { has: boolean | undefined; wanted: boolean | undefined };
  disabled: boolean;
  /** A press is on its way: another is not taken, and the focus stays where it is. */
  busy: boolean;
  /** By how much buttons beside a number's field let it go up and down; none without. */
  step?: number | null;
  onSend: (value: number | boolean | string) => void;
}): ReactNode {
  const display = useDisplay()(stream);
  const [text, setText] = useState('');
  if (stream.type === 'boolean' && stream.holds === 'momentary')
    return (
      <Button
        disabled={disabled}
        aria-disabled={busy || undefined}
        onClick={() => !busy && onSend(true)}
        sx={{ minHeight: 44, minWidth: 130 }}
      >
        {stream.title}
      </Button>
    );
  if (stream.type === 'boolean')
    return <OnOff {...has} label={stream.title} disabled={disabled} busy={busy} onPress={onSend} />;
  if (stream.type === 'choice')
    return (
      <TextField
        select
        disabled={disabled}
        value={value === undefined ? '' : showValue(stream, value)}
        onChange={({ target }) => !busy && onSend(target.value)}
        sx={{ maxWidth: 220, minWidth: 110 }}
        slotProps={{ htmlInput: { 'aria-label': stream.title }, select: { displayEmpty: true } }}
      >
        {stream.choices.map((choice) => (
          <MenuItem key={choice} value={choice} sx={{ minHeight: 44 }}>
            {choice}
          </MenuItem>
        ))}
      </TextField>
    );
  const stepped = step !== null && isScalar(stream);
  /** From what stands in the field, or is wanted, a step up or down, and no further than its range. */
  const go = (direction: 1 | -1): void => {
    const { min, max } = stream;
    const from = text === '' ? (typeof value === 'number' ? display.convert(value) : null) : Number(text);
    const start = from ?? display.convert(min ?? 0) - direction * display.distance(step!);
    const next = Number((start + direction * display.distance(step!)).toPrecision(12));
    setText(
      String(
        Math.min(
          max === null ? Infinity : display.convert(max),
          Math.max(min === null ? -Infinity : display.convert(min), next),
        ),
      ),
    );
  };
  return (
    <Box
      component="form"
      onSubmit={(event) => {
        event.preventDefault();
        if (text === '' || busy) return;
        onSend(isScalar(stream) ? display.wanted(Number(text)) : text);
        setText('');
      }}
      sx={{ display: 'flex', gap: 1, alignItems: 'baseline' }}
    >
      {stepped && (
        <StepButton words={`${stream.title} less`} sign="−" disabled={disabled} onPress={() => go(-1)} />
      )}
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
          // Of a colour that nobody knows none is shown.
          ...(stream.type === 'colour' &&
            text === '' &&
            value === undefined && {
              background: `repeating-linear-gradient(135deg, ${ink.line} 0 1px, transparent 1px 5px)`,
              '& input': { opacity: 0 },
            }),
        }}
        slotProps={{ htmlInput: { 'aria-label': stream.title, step: 'any' } }}
      />
      {stepped && (
        <StepButton words={`${stream.title} more`} sign="+" disabled={disabled} onPress={() => go(1)} />
      )}
      {display.unit}
      <Button
        type="submit"
        size="small"
        disabled={disabled}
        aria-disabled={busy || text === '' || undefined}
        sx={{ minHeight: 40, '&[aria-disabled]': { opacity: 0.5 } }}
      >
        Set
      </Button>
    </Box>
  );
}

function StepButton({
  words,
  sign,
  disabled,
  onPress,
}: {
  words: string;
  sign: string;
  disabled: boolean;
  onPress: () => void;
}): ReactNode {
  return (
    <Button
      aria-label={words}
      disabled={disabled}
      onClick={onPress}
      sx={{ minWidth: 44, minHeight: 44, fontSize: '1.2rem', lineHeight: 1 }}
    >
      {sign}
    </Button>
  );
}
