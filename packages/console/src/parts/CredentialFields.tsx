import { TextField } from '@mui/material';
import type { ReactNode } from 'react';
import type { UseFormRegisterReturn } from 'react-hook-form';

type FieldProps = UseFormRegisterReturn & {
  /** What is wrong with it, in words. */
  problem: string | undefined;
};

export function EmailField({
  problem,
  autoFocus,
  label = 'Email',
  ...field
}: FieldProps & { autoFocus?: boolean; label?: string }): ReactNode {
  return (
    <TextField
      label={label}
      type={label === 'Email' ? 'email' : 'text'}
      autoComplete="username"
      {...(autoFocus === true && { autoFocus })}
      {...field}
      error={problem !== undefined}
      helperText={problem}
    />
  );
}

/** `isNew`: a password that is made here, and not one that exists. */
export function PasswordField({ problem, isNew, ...field }: FieldProps & { isNew?: boolean }): ReactNode {
  const made = isNew === true;
  return (
    <TextField
      label="Password"
      type="password"
      autoComplete={made ? 'new-password' : 'current-password'}
      {...field}
      error={problem !== undefined}
      helperText={problem ?? (made ? 'Ten letters or more.' : undefined)}
    />
  );
}
