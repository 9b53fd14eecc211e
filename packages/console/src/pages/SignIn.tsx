import { Box, Button, Link, TextField, Typography } from '@mui/material';
import { useQueryClient } from '@tanstack/react-query';
import { Suspense, useEffect, useState, type ReactNode } from 'react';
import { WELCOME } from '@peatmoor/contract';
import { under } from '../base';
import { forgetAnswers } from '../parts/answers';
import { useChange, useRead } from '../api';
import { later } from '../parts/later';
import { Notice } from '../parts/Notice';
import { troubleOf } from '../parts/problems';
import { ink } from '../theme';

const FirstAccount = later(() => import('../account/FirstAccount'), 'FirstAccount');

/** Sign-in; on an empty service the first account. */
export function SignIn(): ReactNode {
  const status = useRead('status');
  // What was on its way as somebody signed out came after all was forgotten, and a session may have ended elsewhere.
  useEffect(() => void forgetAnswers(), []);
  return (
    <Box
      component="main"
      sx={{
        minHeight: '100dvh',
        display: 'grid',
        gridTemplateColumns: { xs: '1fr', md: '1fr minmax(360px, 480px) 1fr' },
      }}
    >
      <StaffMargin />
      <Box sx={{ px: 3, py: { xs: 5, md: 12 }, maxWidth: 480 }}>
        <Typography variant="h1" sx={{ fontSize: '2.6rem' }}>
          Peatmoor
        </Typography>
        <Typography sx={{ mt: 1, mb: 5 }} color="textSecondary">
          {WELCOME}
        </Typography>
        <Notice error={status.error} />
        {status.data &&
          (status.data.empty ? (
            <Suspense>
              <FirstAccount />
            </Suspense>
          ) : (
            <SignInForm />
          ))}
        <Box sx={{ mt: 5 }}>
          <Link href={under('/docs/index.html')}>Documentation</Link>
        </Box>
      </Box>
    </Box>
  );
}

function StaffMargin(): ReactNode {
  return (
    <Box
      aria-hidden
      sx={{
        display: { xs: 'none', md: 'block' },
        borderRight: `1px solid ${ink.line}`,
        mr: 6,
        background: `repeating-linear-gradient(to bottom, ${ink.ink} 0 1px, transparent 1px 16px) right / 14px 100% no-repeat, repeating-linear-gradient(to bottom, ${ink.ink} 0 2px, transparent 2px 80px) right / 30px 100% no-repeat`,
      }}
    />
  );
}

function SignInForm(): ReactNode {
  const client = useQueryClient();
  const signIn = useChange('signIn');
  const [forgotten, setForgotten] = useState(false);
  const [body, setBody] = useState({ email: '', password: '', code: '' });
  const set = (field: keyof typeof body) => ({
    value: body[field],
    onChange: ({ target }: { target: { value: string } }) => setBody({ ...body, [field]: target.value }),
  });
  // What is missing, or not right, is said by the service; in the words of the fields.
  const trouble = troubleOf(signIn.error);
  // Asked for only where the account has one.
  const needsCode = /code-needed$/.test(signIn.error?.problem.type ?? '') || body.code !== '';
  if (forgotten) return <Forgotten onBack={() => setForgotten(false)} />;
  return (
    <Box
      component="form"
      onSubmit={(event) => {
        event.preventDefault();
        const { code, ...others } = body;
        signIn.mutate(
          { body: { ...others, ...(code !== '' && { code }) } },
          { onSuccess: (me) => client.setQueryData(['me'], me) },
        );
      }}
      noValidate
      sx={{ display: 'grid', gap: 3 }}
    >
      <Typography variant="h2">Sign in</Typography>
      <TextField
        label="Email or name"
        autoComplete="username"
        autoFocus
        {...set('email')}
        {...trouble('email')}
      />
      <TextField
        label="Password"
        type="password"
        autoComplete="current-password"
        {...set('password')}
        {...trouble('password')}
      />
      {needsCode && (
        <TextField
          label="Six digits of your second factor, or a recovery code"
          autoComplete="one-time-code"
          autoFocus
          {...set('code')}
          {...trouble('code')}
        />
      )}
      <Notice error={signIn.error} beside={['email', 'password', 'code']} />
      <Button type="submit" variant="contained" color="primary" disabled={signIn.isPending}>
        Sign in
      </Button>
      <Button variant="text" sx={{ justifySelf: 'start' }} onClick={() => setForgotten(true)}>
        Password forgotten
      </Button>
    </Box>
  );
}

/** Has a link sent with which a new password is set. */
function Forgotten({ onBack }: { onBack: () => void }): ReactNode {
  const ask = useChange('askReset');
  const [email, setEmail] = useState('');
  return (
    <Box
      component="form"
      onSubmit={(event) => (event.preventDefault(), ask.mutate({ body: { email } }))}
      noValidate
      sx={{ display: 'grid', gap: 3 }}
    >
      <Typography variant="h2">A new password</Typography>
      {ask.isSuccess ? (
        <Notice tone="good">
          If an account has this email, a link is on its way to it. It works for an hour.
        </Notice>
      ) : (
        <>
          <TextField
            label="Email"
            type="email"
            autoFocus
            value={email}
            onChange={({ target }) => setEmail(target.value)}
            helperText="An account without an email: ask an owner of your workspace."
            {...troubleOf(ask.error)('email')}
          />
          <Notice error={ask.error} beside={['email']} />
          <Button type="submit" variant="contained" disabled={email === '' || ask.isPending}>
            Send me a link
          </Button>
        </>
      )}
      <Button variant="text" sx={{ justifySelf: 'start' }} onClick={onBack}>
        Back
      </Button>
    </Box>
  );
}
