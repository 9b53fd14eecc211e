import { Box, Button, TextField, Typography } from '@mui/material';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { useChange } from '../api';
import { Notice } from '../parts/Notice';
import { troubleOf } from '../parts/problems';

const SECRET = location.hash.slice(1);
const FRAME = { px: 3, py: { xs: 5, md: 12 }, maxWidth: 480, mx: 'auto', display: 'grid', gap: 3 } as const;

/** Sets a new password with the link of a mail. */
export function Reset(): ReactNode {
  const reset = useChange('reset');
  const [password, setPassword] = useState('');
  if (reset.isSuccess)
    return (
      <Box component="main" sx={FRAME}>
        <Typography variant="h1">Your password is new</Typography>
        <Typography>You were signed out everywhere.</Typography>
        <Button variant="contained" href="/">
          Sign in
        </Button>
      </Box>
    );
  return (
    <Box component="main" sx={FRAME}>
      <Typography variant="h1">A new password</Typography>
      <Box
        component="form"
        onSubmit={(event) => (event.preventDefault(), reset.mutate({ body: { secret: SECRET, password } }))}
        sx={{ display: 'grid', gap: 3 }}
      >
        <TextField
          label="The new password"
          type="password"
          autoComplete="new-password"
          autoFocus
          value={password}
          onChange={({ target }) => setPassword(target.value)}
          helperText="Ten letters or more."
          {...troubleOf(reset.error)('password')}
        />
        <Notice error={reset.error} beside={['password']} />
        <Button type="submit" variant="contained" disabled={password === '' || reset.isPending}>
          Set it
        </Button>
      </Box>
    </Box>
  );
}

/** Confirms an email with the link of a mail: nothing happens before somebody presses. */
export function Confirm(): ReactNode {
  const confirm = useChange('confirmEmail', ['me']);
  const button = useRef<HTMLButtonElement>(null);
  useEffect(() => button.current?.focus(), []);
  return (
    <Box component="main" sx={FRAME}>
      <Typography variant="h1">{confirm.isSuccess ? 'It is yours' : 'Is this your email?'}</Typography>
      {confirm.isSuccess ? (
        <Button variant="contained" href="/">
          Go on
        </Button>
      ) : (
        <Button
          ref={button}
          variant="contained"
          disabled={confirm.isPending}
          onClick={() => confirm.mutate({ body: { secret: SECRET } })}
        >
          Yes, use it for my account
        </Button>
      )}
      <Notice error={confirm.error} />
    </Box>
  );
}
