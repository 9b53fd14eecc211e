import { Box, Button, TextField, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { useChange, useRead } from '../api';
import { useNow } from '../live';
import { useAsk } from '../parts/Ask';
import { Copyable } from '../parts/Copyable';
import { Notice } from '../parts/Notice';
import { dates, showAgo } from '../parts/time';
import { ink, MONO } from '../theme';

/** The tokens of a device by fingerprint; a new one is shown once. */
export function Tokens({ device, onMade }: { device: string; onMade: (token: string) => void }): ReactNode {
  const tokens = useRead('listTokens', { params: { device } });
  const create = useChange('createToken', ['listTokens']);
  const withdraw = useChange('withdrawToken', ['listTokens']);
  const ask = useAsk();
  const [title, setTitle] = useState('');
  const now = useNow();
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
          <Typography color="textSecondary" sx={{ flex: 1 }}>
            {token.title}, made {dates().date(token.createdAt)},{' '}
            {token.usedAt === null ? 'never used' : `used ${showAgo(token.usedAt, now)}`}
          </Typography>
          {token.withdrawnAt === null ? (
            <Button
              size="small"
              onClick={() =>
                void ask({
                  title: `Withdraw the token ${token.title}?`,
                  text: 'The board that has it is refused from now on, until it is given another one.',
                  action: 'Withdraw it',
                }).then((yes) => yes && withdraw.mutate({ params: { device, token: token.id } }))
              }
            >
              Withdraw
            </Button>
          ) : (
            <Typography color="textSecondary">withdrawn</Typography>
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
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'flex-end', mt: 1 }}>
        <TextField
          label="Name of another token"
          placeholder="second board"
          value={title}
          onChange={({ target }) => setTitle(target.value)}
          sx={{ width: 220 }}
        />
        <Button
          disabled={create.isPending}
          onClick={() =>
            create.mutate(
              { params: { device }, body: { title } },
              { onSuccess: ({ secret }) => (setTitle(''), onMade(secret)) },
            )
          }
        >
          Make another token
        </Button>
      </Box>
    </>
  );
}
