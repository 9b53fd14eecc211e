import { yupResolver } from '@hookform/resolvers/yup';
import { Box, Button, Link, TextField, Typography } from '@mui/material';
import { useQueryClient } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { useForm } from 'react-hook-form';
import {
  newAccountSchema,
  signInSchema,
  WELCOME,
  type NewAccount,
  type SignIn as SignInFields,
} from '@peatmoor/contract';
import { under } from '../base';
import { useChange, useRead } from '../api';
import { EmailField, PasswordField } from '../parts/CredentialFields';
import { Notice } from '../parts/Notice';
import { troubleOf } from '../parts/problems';
import { ink } from '../theme';

/** Sign-in; on an empty service the first account. */
export function SignIn(): ReactNode {
  const status = useRead('status');
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
        {status.data && (status.data.empty ? <FirstAccount /> : <SignInForm />)}
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
  const { register, handleSubmit, formState } = useForm<SignInFields>({
    resolver: yupResolver(signInSchema) as never,
  });
  const { errors } = formState;
  // Asked for only where the account has one.
  const needsCode = /code-needed$/.test(signIn.error?.problem.type ?? '');
  const submit = handleSubmit((body) =>
    signIn.mutate({ body }, { onSuccess: (me) => client.setQueryData(['me'], me) }),
  );
  if (forgotten) return <Forgotten onBack={() => setForgotten(false)} />;
  return (
    <Box component="form" onSubmit={submit} noValidate sx={{ display: 'grid', gap: 3 }}>
      <Typography variant="h2">Sign in</Typography>
      <EmailField label="Email or name" autoFocus {...register('email')} problem={errors.email?.message} />
      <PasswordField {...register('password')} problem={errors.password?.message} />
      {needsCode && (
        <TextField
          label="Six digits of your second factor, or a recovery code"
          autoComplete="one-time-code"
          autoFocus
          {...register('code')}
        />
      )}
      <Notice error={signIn.error} />
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

function FirstAccount(): ReactNode {
  const client = useQueryClient();
  const create = useChange('createAccount');
  const { register, handleSubmit, formState } = useForm<NewAccount>({
    resolver: yupResolver(newAccountSchema) as never,
    defaultValues: { workspace: 'My workspace' },
  });
  const { errors } = formState;
  const submit = handleSubmit((body) =>
    create.mutate({ body }, { onSuccess: (me) => client.setQueryData(['me'], me) }),
  );
  return (
    <Box component="form" onSubmit={submit} noValidate sx={{ display: 'grid', gap: 3 }}>
      <Typography variant="h2">Make the first account</Typography>
      <Typography variant="body2" color="textSecondary">
        This service is empty. The account made here owns it.
      </Typography>
      <TextField
        label="Your name"
        autoComplete="name"
        autoFocus
        {...register('name')}
        error={!!errors.name}
        helperText={errors.name?.message}
      />
      <EmailField {...register('email')} problem={errors.email?.message} />
      <PasswordField isNew {...register('password')} problem={errors.password?.message} />
      <TextField
        label="Name of your workspace"
        {...register('workspace')}
        error={!!errors.workspace}
        helperText={errors.workspace?.message ?? 'What your devices belong to; it can be shared later.'}
      />
      <Notice error={create.error} />
      <Button type="submit" variant="contained" color="primary" disabled={create.isPending}>
        Make the account
      </Button>
    </Box>
  );
}
