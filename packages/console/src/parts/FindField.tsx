import { TextField, type TextFieldProps } from '@mui/material';
import { useEffect, useRef, useState, type ReactNode } from 'react';

/** What is looked for is told after a pause in typing of so long, in ms: long lists are not drawn, nor asked for, at each letter. */
const PAUSE_MS = 120;

/** A field for what is looked for: letters stand at once, and what is found follows when one pauses. */
export function FindField({
  value,
  onFind,
  ...field
}: { value: string; onFind: (text: string) => void } & Omit<
  TextFieldProps,
  'value' | 'onChange'
>): ReactNode {
  const [text, setText] = useState(value);
  const told = useRef(value);
  const tell = useRef(onFind);
  useEffect(() => {
    tell.current = onFind;
  });
  // What is looked for by another way – a link, a step back – stands in the field too.
  useEffect(() => {
    if (value === told.current) return;
    told.current = value;
    setText(value);
  }, [value]);
  useEffect(() => {
    if (text === told.current) return;
    const timer = setTimeout(() => {
      told.current = text;
      tell.current(text);
    }, PAUSE_MS);
    return () => clearTimeout(timer);
  }, [text]);
  return <TextField type="search" {...field} value={text} onChange={({ target }) => setText(target.value)} />;
}
