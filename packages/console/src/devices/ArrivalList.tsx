import { Box, Button, MenuItem, TextField, Typography } from '@mui/material';
import { useCallback, useRef, useState, type ReactNode } from 'react';
import { counted, guessStream } from '@peatmoor/core';
import type { Arrival, Device, Kind } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { useShown } from '../live';
import { Notice } from '../parts/Notice';
import { ArrivalRow } from './ArrivalRow';

/** Messages of a device, newest first, live: accepted, or refused and why. */
export function ArrivalList({
  device,
  kind,
  most = 30,
}: {
  device: Device;
  kind: Kind;
  most?: number;
}): ReactNode {
  useShown('arrivals', device.id);
  const arrivals = useRead('listArrivals', { params: { device: device.id } });
  const adopt = useChange('createStream', ['listKinds', 'readKind']);
  const retake = useChange('retake', ['listArrivals', 'readDevice']);
  const [show, setShow] = useState<'all' | 'refused'>('all');
  const [paused, setPaused] = useState<Arrival[] | null>(null);
  const all = paused ?? arrivals.data ?? [];
  const list = all.filter(({ refusedCount }) => show === 'all' || refusedCount > 0).slice(0, most);
  const anyRefused = all.some(({ refusedCount }) => refusedCount > 0);
  const { mutate } = adopt;
  const kindId = kind.id;
  // The same for as long as nothing changes, so that rows that are drawn stay as they are.
  const newest = useRef(mutate);
  newest.current = mutate;
  const onAdopt = useCallback(
    (name: string, shown: string): void =>
      newest.current({ params: { kind: kindId }, body: guessStream(name, shown) }),
    [kindId],
  );
  return (
    <Box>
      <Notice error={arrivals.error ?? adopt.error} />
      {adopt.data && (
        <Notice tone="good">
          “{adopt.data.title}” is a datastream now. What comes from now on is kept; unit and range can be set
          on the kind.
        </Notice>
      )}
      {retake.data && (
        <Notice tone={retake.data.stillRefused === 0 ? 'good' : 'plain'}>
          {counted(retake.data.messages, 'refused message')} taken again:{' '}
          {counted(retake.data.accepted, 'value')} accepted, {retake.data.stillRefused} still refused.
        </Notice>
      )}
      {all.length > 0 && (
        <Box sx={{ display: 'flex', gap: 2, alignItems: 'baseline', mb: 1 }}>
          <TextField
            select
            value={show}
            onChange={({ target }) => setShow(target.value as 'all' | 'refused')}
            sx={{ width: 170 }}
            slotProps={{ htmlInput: { 'aria-label': 'Which messages' } }}
          >
            <MenuItem value="all">all messages</MenuItem>
            <MenuItem value="refused">with refusals</MenuItem>
          </TextField>
          <Button variant="text" onClick={() => setPaused(paused === null ? (arrivals.data ?? []) : null)}>
            {paused === null ? 'Pause' : 'Go on'}
          </Button>
          {anyRefused && (
            <Button
              variant="text"
              disabled={retake.isPending}
              onClick={() => retake.mutate({ params: { device: device.id } })}
            >
              Take the refused ones again
            </Button>
          )}
        </Box>
      )}
      {list.length === 0 && (
        <Typography color="textSecondary">
          Nothing has arrived yet. The list is live: the first message appears here by itself.
        </Typography>
      )}
      {list.map((arrival) => (
        <ArrivalRow key={arrival.id} arrival={arrival} kind={kind} onAdopt={onAdopt} />
      ))}
    </Box>
  );
}
