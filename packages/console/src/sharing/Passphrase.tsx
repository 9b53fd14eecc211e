import { Box, Button, TextField, Typography } from '@mui/material';
import { useQueryClient } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import type { ApiError } from '@peatmoor/contract';
import { useChange } from '../api';
import { troubleOf } from '../parts/problems';
import { ink } from '../theme';
import { sharedSecret, visitWith } from '../visitor';
import { Plain } from './Plain';

/** Asks for the passphrase of a link. */
export function Passphrase({ error }: { error: ApiError }): ReactNode {
  const client = useQueryClient();
  const open = useChange('openShared');
  const [passphrase, setPassphrase] = useState('');
  return (
    <Plain title="A passphrase opens this">
      <Typography sx={{ mb: 2 }}>{error.problem.detail} Whoever gave you the link knows it.</Typography>
      <Box
        component="form"
        onSubmit={(event) => {
          event.preventDefault();
          open.mutate(
            { body: { secret: sharedSecret, passphrase } },
            {
              onSuccess: ({ credential }) => {
                visitWith(credential);
                void client.resetQueries();
              },
            },
          );
        }}
        sx={{ display: 'flex', gap: 2, alignItems: 'flex-end', maxWidth: 420 }}
      >
        <TextField
          label="Passphrase"
          type="password"
          autoFocus
          value={passphrase}
          onChange={({ target }) => setPassphrase(target.value)}
          {...troubleOf(open.error)('passphrase')}
        />
        <Button type="submit" variant="contained" disabled={passphrase === '' || open.isPending}>
          Open
        </Button>
      </Box>
      {open.error !== null && !/passphrase/.test(open.error.message) && (
        <Typography role="alert" sx={{ mt: 2, color: ink.rowan }}>
          {open.error.message}
        </Typography>
      )}
    </Plain>
  );
}
