import { Box, TextField, Typography } from '@mui/material';
import { useMemo, useState, type ReactNode } from 'react';
import { checkProgram, type Finding } from '@peatmoor/core';
import type { Address, Kind } from '@peatmoor/contract';
import { useRead } from '../api';
import { ink, MONO } from '../theme';

const MARKS = { right: '✓', wrong: '✗', look: '?' } as const;

/** Compares a pasted program with the device before it is flashed. The text never leaves the browser. */
export function CheckProgram({
  device,
  kind,
  address,
}: {
  device: string;
  kind: Kind;
  address: Address;
}): ReactNode {
  const [text, setText] = useState('');
  const tokens = useRead('listTokens', { params: { device } }).data;
  const findings = useMemo(
    () =>
      checkProgram(text, {
        deviceId: device,
        hosts: [address.host, new URL(address.httpUrl).hostname],
        streams: kind.streams,
        fingerprints: (tokens ?? [])
          .filter(({ withdrawnAt }) => withdrawnAt === null)
          .map(({ fingerprint }) => fingerprint),
      }),
    [text, device, kind, address, tokens],
  );
  const order: Finding['state'][] = ['wrong', 'look', 'right'];
  const sorted = [...findings].sort(
    (a, b) => order.indexOf(a.state) - order.indexOf(b.state) || a.line - b.line,
  );
  return (
    <>
      <TextField
        label="The text of your program"
        placeholder="Paste it here; it stays in this browser."
        multiline
        minRows={3}
        maxRows={10}
        value={text}
        onChange={({ target }) => setText(target.value)}
        slotProps={{ htmlInput: { style: { fontFamily: MONO, fontSize: '0.85rem' }, spellCheck: false } }}
      />
      {text.trim() !== '' && sorted.length === 0 && (
        <Typography color="textSecondary" sx={{ mt: 1 }}>
          No name, topic, address or token was found in it.
        </Typography>
      )}
      {text.trim() !== '' &&
        sorted.map(({ line, about, state, says }) => (
          <Box
            key={`${line}${about}${says}`}
            data-finding={state}
            sx={{ display: 'flex', gap: 1.5, borderTop: `1px solid ${ink.faint}`, py: 0.5 }}
          >
            <span style={{ width: '1em', color: state === 'wrong' ? ink.rowan : ink.ink, fontWeight: 700 }}>
              {MARKS[state]}
            </span>
            <span style={{ width: '4.5em', color: ink.soft }}>{line > 0 ? `line ${line}` : ''}</span>
            <span style={{ overflowWrap: 'anywhere' }}>
              <b style={{ fontFamily: MONO, fontWeight: 500 }}>{about}</b> {says}
            </span>
          </Box>
        ))}
    </>
  );
}
