import { TextField } from '@mui/material';
import type { ReactNode } from 'react';

/** The title of a dashboard, while it is arranged. */
export function TitleField({
  title,
  onChange,
}: {
  title: string;
  onChange: (title: string) => void;
}): ReactNode {
  return (
    <TextField
      value={title}
      onChange={({ target }) => target.value.trim() !== '' && onChange(target.value.slice(0, 80))}
      slotProps={{ htmlInput: { 'aria-label': 'Title', style: { fontSize: '1.7rem', fontWeight: 700 } } }}
    />
  );
}

/** The name of one of its pages. */
export function PageName({
  name,
  usual,
  onChange,
}: {
  name: string;
  /** How it is called without one. */
  usual: string;
  onChange: (name: string) => void;
}): ReactNode {
  return (
    <TextField
      label="Name of this page"
      value={name}
      placeholder={usual}
      onChange={({ target }) => onChange(target.value.slice(0, 40))}
      sx={{ width: 180 }}
    />
  );
}
