import { yupResolver } from '@hookform/resolvers/yup';
import { Box, Button, Typography } from '@mui/material';
import { useQueryClient } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { useForm } from 'react-hook-form';
import { useNavigate } from 'react-router';
import { joinSchema, type Join as JoinFields } from '@peatmoor/contract';
import { useChange } from '../api';
import { EmailField, PasswordField } from '../parts/CredentialFields';
import { Notice } from '../parts/Notice';
import { troubleOf } from '../parts/problems';

/** Making an account with the link one was given. The secret stands behind the address's mark, which is sent nowhere. */
export function Join(): ReactNode {
  const client = useQueryClient();
  const navigate = useNavigate();
  const join = useChange('join');
  const secret = location.hash.slice(1);
  const { register, handleSubmit, formState } = useForm<JoinFields>({
    resolver: yupResolver(joinSchema),
    defaultValues: { secret },
  });
  const { errors } = formState;
  const trouble = troubleOf(join.error);
  const submit = handleSubmit((body) =>
    join.mutate(
      { body },
      {
        onSuccess: (me) => {
          client.setQueryData(['me'], me);
          void navigate('/', { replace: true });
        },
      },
    ),
  );
  return (
    <Box sx={{ px: 3, py: { xs: 5, md: 12 }, maxWidth: 480, mx: 'auto' }}>
      <Typography variant="h1" sx={{ fontSize: '2.6rem', mb: 3 }}>
        Peatmoor
      </Typography>
      <Box component="form" onSubmit={submit} noValidate sx={{ display: 'grid', gap: 3 }}>
        <Typography variant="h2">Make your account</Typography>
        {secret === '' && (
          <Typography color="error">
            The address is not whole: a part of the link is missing. Copy it again.
          </Typography>
        )}
        <EmailField
          autoFocus
          {...register('email')}
          problem={errors.email?.message ?? trouble('email').helperText}
        />
        <PasswordField
          isNew
          {...register('password')}
          problem={errors.password?.message ?? trouble('password').helperText}
        />
        <Notice error={join.error} beside={['email', 'password']} />
        <Button type="submit" variant="contained" color="primary" disabled={join.isPending || secret === ''}>
          Make the account
        </Button>
      </Box>
    </Box>
  );
}
