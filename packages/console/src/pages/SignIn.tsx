import { yupResolver } from '@hookform/resolvers/yup';
import { Box, Button, TextField, Typography } from '@mui/material';
import { useQueryClient } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { useForm } from 'react-hook-form';
import {
  newAccountSchema,
  signInSchema,
  type NewAccount,
  type SignIn as SignInFields,
} from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { EmailField, PasswordField } from '../parts/CredentialFields';
import { Notice } from '../parts/Notice';
import { ink } from '../theme';

/** Sign-in; on an empty service the first account. */
export function SignIn(): ReactNode {
  const status = useRead('status');
  return (
    <Box
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
        <Typography sx={{ mt: 1, mb: 5 }} color="text.secondary">
          For any device: see what your boards measure, steer what they drive, and be told when something is
          wrong.
        </Typography>
        <Notice error={status.error} />
        {status.data && (status.data.empty ? <FirstAccount /> : <SignInForm />)}
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
  const { register, handleSubmit, formState } = useForm<SignInFields>({
    resolver: yupResolver(signInSchema),
  });
  const { errors } = formState;
  const submit = handleSubmit((body) =>
    signIn.mutate({ body }, { onSuccess: (me) => client.setQueryData(['me'], me) }),
  );
  return (
    <Box component="form" onSubmit={submit} noValidate sx={{ display: 'grid', gap: 3 }}>
      <Typography variant="h2">Sign in</Typography>
      <EmailField autoFocus {...register('email')} problem={errors.email?.message} />
      <PasswordField {...register('password')} problem={errors.password?.message} />
      <Notice error={signIn.error} />
      <Button type="submit" variant="contained" color="primary" disabled={signIn.isPending}>
        Sign in
      </Button>
    </Box>
  );
}

function FirstAccount(): ReactNode {
  const client = useQueryClient();
  const create = useChange('createAccount');
  const { register, handleSubmit, formState } = useForm<NewAccount>({
    resolver: yupResolver(newAccountSchema),
    defaultValues: { workspace: 'My workspace' },
  });
  const { errors } = formState;
  const submit = handleSubmit((body) =>
    create.mutate({ body }, { onSuccess: (me) => client.setQueryData(['me'], me) }),
  );
  return (
    <Box component="form" onSubmit={submit} noValidate sx={{ display: 'grid', gap: 3 }}>
      <Typography variant="h2">Make the first account</Typography>
      <Typography variant="body2" color="text.secondary">
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
