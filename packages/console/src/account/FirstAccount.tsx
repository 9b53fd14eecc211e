import { yupResolver } from '@hookform/resolvers/yup';
import { Box, Button, TextField, Typography } from '@mui/material';
import { useQueryClient } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { useForm } from 'react-hook-form';
import { newAccountSchema, type NewAccount } from '@peatmoor/contract';
import { useChange } from '../api';
import { Notice } from '../parts/Notice';

/** Makes the account that owns an empty service. */
export function FirstAccount(): ReactNode {
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
      <TextField
        label="Email"
        type="email"
        autoComplete="username"
        {...register('email')}
        error={!!errors.email}
        helperText={errors.email?.message}
      />
      <TextField
        label="Password"
        type="password"
        autoComplete="new-password"
        {...register('password')}
        error={!!errors.password}
        helperText={errors.password?.message ?? 'Ten letters or more.'}
      />
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
