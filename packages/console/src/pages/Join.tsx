import { Box, Button, Checkbox, FormControlLabel, TextField, Typography } from '@mui/material';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { useNavigate } from 'react-router';
import type { Me } from '@peatmoor/contract';
import { api, useChange, useRead } from '../api';
import { Notice } from '../parts/Notice';
import { troubleOf } from '../parts/problems';

/** Joining with the link one was given. The secret stands behind the address's mark, which is sent nowhere by itself. */
export function Join(): ReactNode {
  const client = useQueryClient();
  const navigate = useNavigate();
  const me = useRead('me').data;
  const join = useChange('join');
  const here = useChange('joinHere');
  const secret = location.hash.slice(1);
  const [name, setName] = useState('');
  const [withEmail, setWithEmail] = useState(true);
  const [email, setEmail] = useState('');
  const [password, setPassword] = useState('');
  const look = useQuery({
    queryKey: ['readJoin', secret],
    queryFn: () => api.call('readJoin', { body: { secret } }),
    enabled: secret !== '',
    retry: false,
  });
  const of = look.data;
  const trouble = troubleOf(join.error);
  const welcome = (joined: Me): void => {
    client.clear();
    client.setQueryData(['me'], joined);
    void navigate('/', { replace: true });
  };
  return (
    <Box component="main" sx={{ px: 3, py: { xs: 5, md: 12 }, maxWidth: 480, mx: 'auto' }}>
      <Typography variant="h1" sx={{ fontSize: '2.6rem', mb: 3 }}>
        Peatmoor
      </Typography>
      {secret === '' && (
        <Typography color="error">
          The address is not whole: a part of the link is missing. Copy it again.
        </Typography>
      )}
      <Notice error={look.error} />
      {of && (
        <Typography sx={{ mb: 3 }}>
          {of.name === '' ? 'You are' : `${of.name}, you are`} invited to <b>{of.workspace}</b>{' '}
          {of.role === 'none' ? 'to see what is granted to you' : `as ${of.role}`}.
        </Typography>
      )}
      {of && me && (
        <Box sx={{ display: 'grid', gap: 2, mb: 4 }}>
          <Button
            variant="contained"
            disabled={here.isPending}
            onClick={() => here.mutate({ body: { secret } }, { onSuccess: welcome })}
          >
            Join as {me.user.name}
          </Button>
          <Notice error={here.error} />
        </Box>
      )}
      {of && (
        <Box
          component="form"
          onSubmit={(event) => {
            event.preventDefault();
            join.mutate(
              {
                body: {
                  secret,
                  password,
                  name: of.name === '' ? name : null,
                  email: withEmail && email !== '' ? email : null,
                },
              },
              { onSuccess: welcome },
            );
          }}
          noValidate
          sx={{ display: 'grid', gap: 3 }}
        >
          <Typography variant="h2">Make your account</Typography>
          {of.name === '' && (
            <TextField
              label="Your name"
              autoComplete="name"
              autoFocus
              value={name}
              onChange={({ target }) => setName(target.value)}
              {...trouble('name')}
            />
          )}
          {withEmail ? (
            <TextField
              label="Email"
              type="email"
              autoComplete="username"
              value={email}
              onChange={({ target }) => setEmail(target.value)}
              {...trouble('email')}
            />
          ) : (
            <Typography variant="body2" color="textSecondary">
              You will sign in as “{of.name || name}”. An owner of the workspace can set a new password for
              you.
            </Typography>
          )}
          <FormControlLabel
            control={<Checkbox checked={!withEmail} onChange={(_, checked) => setWithEmail(!checked)} />}
            label="Without an email"
          />
          <TextField
            label="Password"
            type="password"
            autoComplete="new-password"
            value={password}
            onChange={({ target }) => setPassword(target.value)}
            helperText="Ten letters or more."
            {...trouble('password')}
          />
          <Notice error={join.error} beside={['email', 'password', ...(of.name === '' ? ['name'] : [])]} />
          <Button
            type="submit"
            variant={me ? 'outlined' : 'contained'}
            disabled={join.isPending || password === '' || (withEmail && email === '')}
          >
            Make the account
          </Button>
        </Box>
      )}
    </Box>
  );
}
