import { Box, Button, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { useChange, useRead } from '../api';
import { Copyable } from '../parts/Copyable';
import { Notice } from '../parts/Notice';
import { ink, MONO } from '../theme';

/** The tokens of a device by fingerprint; a new one is shown once. */
export function Tokens({ device, onMade }: { device: string; onMade: (token: string) => void }): ReactNode {
  const tokens = useRead('listTokens', { params: { device } });
  const create = useChange('createToken', ['listTokens']);
  const withdraw = useChange('withdrawToken', ['listTokens']);
  return (
    <>
      {tokens.data?.map((token) => (
        <Box
          key={token.id}
          sx={{
            display: 'flex',
            flexWrap: 'wrap',
            gap: 2,
            alignItems: 'center',
            borderTop: `1px solid ${ink.faint}`,
            py: 1,
            minHeight: 52,
          }}
        >
          <Box sx={{ fontFamily: MONO }}>moor{token.fingerprint}…</Box>
          <Typography color="text.secondary" sx={{ flex: 1 }}>
            {token.title}, made {new Date(token.createdAt).toLocaleDateString('en-GB')}
          </Typography>
          {token.withdrawnAt === null ? (
            <Button size="small" onClick={() => withdraw.mutate({ params: { device, token: token.id } })}>
              Withdraw
            </Button>
          ) : (
            <Typography color="text.secondary">withdrawn</Typography>
          )}
        </Box>
      ))}
      <Notice error={create.error ?? withdraw.error} />
      {create.data && (
        <Copyable
          label="The new token, shown only now"
          text={create.data.secret}
          file={`${device}-token.txt`}
        />
      )}
      <Button
        sx={{ mt: 1 }}
        onClick={() =>
          create.mutate({ params: { device }, body: {} }, { onSuccess: ({ secret }) => onMade(secret) })
        }
      >
        Make another token
      </Button>
    </>
  );
}
