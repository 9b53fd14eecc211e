import { Box, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { nextProofStep, PROOF_STEPS, proofAdvice } from '@peatmoor/core';
import type { Device } from '@peatmoor/contract';
import { Notice } from '../parts/Notice';
import { showAgo, showSeconds } from '../parts/time';
import { ink, MONO } from '../theme';

const TROUBLE_SHOWN_MS = 15 * 60_000;

/** The way from nothing to the first reading, step by step, with the next thing to do. */
export function ProofSteps({ device, now }: { device: Device; now: number }): ReactNode {
  const { proof } = device;
  const times = [proof.seenAt, proof.tokenRightAt, proof.connectedAt, proof.firstReadingAt];
  const next = nextProofStep(proof);
  const trouble = proof.trouble !== null && now - proof.trouble.at < TROUBLE_SHOWN_MS ? proof.trouble : null;
  // Once all is done it is one line.
  if (next === null && trouble === null)
    return (
      <Box data-proof="done" sx={{ color: ink.moss }}>
        ✓ Proven: {PROOF_STEPS.at(-1)} {showAgo(proof.firstReadingAt!, now)}.
      </Box>
    );
  return (
    <Box data-proof={next ?? 'done'}>
      <Box
        component="ol"
        sx={{
          listStyle: 'none',
          p: 0,
          m: 0,
          display: 'grid',
          gridTemplateColumns: { xs: '1fr', sm: 'repeat(4, 1fr)' },
        }}
      >
        {PROOF_STEPS.map((step, i) => {
          const done = times[i] !== null;
          const current = step === next;
          return (
            <Box
              component="li"
              key={step}
              aria-current={current ? 'step' : undefined}
              sx={{
                borderTop: `3px solid ${done ? ink.moss : current ? ink.heather : ink.line}`,
                borderTopStyle: done ? 'solid' : 'dashed',
                pt: 1,
                pb: 1,
                pr: 2,
              }}
            >
              <Typography variant="h3" component="div" sx={{ color: done || current ? ink.ink : ink.soft }}>
                {step}
              </Typography>
              <Box sx={{ fontFamily: MONO, fontSize: '0.85rem', color: ink.soft }}>
                {done
                  ? times[i]! > now - 86_400_000
                    ? showSeconds(times[i]!)
                    : showAgo(times[i]!, now)
                  : current
                    ? 'waiting …'
                    : ''}
              </Box>
            </Box>
          );
        })}
      </Box>
      {trouble && (
        <Notice>
          {trouble.hint} ({showAgo(trouble.at, now)}, from {trouble.from || 'unknown'})
        </Notice>
      )}
      <Typography sx={{ mt: 1 }}>{proofAdvice(proof)}</Typography>
    </Box>
  );
}
