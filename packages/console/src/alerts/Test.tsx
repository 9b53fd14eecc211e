import { Box, Button } from '@mui/material';
import type { ReactNode } from 'react';
import type { PersonalChannel, TestResult } from '@peatmoor/contract';
import { useChange } from '../api';
import { Notice } from '../parts/Notice';
import { ink } from '../theme';

/** Sends a test message, and says what happened at each hop. */
export function Test({ channel, id }: { channel: PersonalChannel | 'webhook'; id?: number }): ReactNode {
  const test = useChange('testAlert');
  return (
    <Box component="span" data-test={channel}>
      <Button
        size="small"
        variant="text"
        disabled={test.isPending}
        onClick={() => test.mutate({ body: { channel, ...(id !== undefined && { id }) } })}
      >
        Test
      </Button>
      <Notice error={test.error} />
      {test.data && <Hops result={test.data} />}
    </Box>
  );
}

function Hops({ result }: { result: TestResult }): ReactNode {
  return (
    <Box role="status" sx={{ fontSize: '0.9rem', textAlign: 'left' }}>
      {result.hops.map(({ what, ok, detail }) => (
        <Box key={what} sx={{ color: ok ? ink.moss : ink.rowan }}>
          {ok ? '✓' : '✕'} {what}
          {detail && <Box sx={{ color: ink.soft, overflowWrap: 'anywhere' }}>{detail}</Box>}
        </Box>
      ))}
    </Box>
  );
}
