import { Box, Button, MenuItem, TextField, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { guessStream } from '@peatmoor/core';
import type { Arrival } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { useShown } from '../live';
import { ArrivalRow } from '../devices/ArrivalRow';
import { Heading } from '../parts/Heading';
import { Notice } from '../parts/Notice';

const MOST = 100;

/** Every message of every device, newest first, live: what was accepted, what refused and why. */
export function Arrivals(): ReactNode {
  useShown('arrivals', 'all');
  const arrivals = useRead('listAllArrivals');
  const devices = useRead('listDevices').data ?? [];
  const kinds = useRead('listKinds').data ?? [];
  const adopt = useChange('createStream', ['listKinds', 'readKind']);
  const [device, setDevice] = useState('');
  const [show, setShow] = useState<'all' | 'refused'>('all');
  const [text, setText] = useState('');
  const [paused, setPaused] = useState<Arrival[] | null>(null);
  const nameOf = (id: string): string => devices.find((one) => one.id === id)?.name ?? id;
  const kindOf = (id: string) =>
    kinds.find((kind) => kind.id === devices.find((one) => one.id === id)?.kindId);
  const list = (paused ?? arrivals.data ?? [])
    .filter((one) => device === '' || one.deviceId === device)
    .filter(({ refusedCount }) => show === 'all' || refusedCount > 0)
    .filter(
      (one) => text.trim() === '' || wordsOf(one, nameOf(one.deviceId)).includes(text.trim().toLowerCase()),
    )
    .slice(0, MOST);
  return (
    <>
      <Heading title="Arrivals" below="Every message of every device, as it comes." />
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 3, alignItems: 'flex-end', mb: 2 }}>
        <TextField
          select
          label="Device"
          value={device}
          onChange={({ target }) => setDevice(target.value)}
          sx={{ width: 220 }}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        >
          <MenuItem value="">all of them</MenuItem>
          {devices.map(({ id, name }) => (
            <MenuItem key={id} value={id}>
              {name}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          label="Which"
          value={show}
          onChange={({ target }) => setShow(target.value as 'all')}
          sx={{ width: 160 }}
        >
          <MenuItem value="all">all messages</MenuItem>
          <MenuItem value="refused">with refusals</MenuItem>
        </TextField>
        <TextField
          label="Containing"
          placeholder="name, reason, value"
          value={text}
          onChange={({ target }) => setText(target.value)}
          sx={{ width: 200 }}
        />
        <Button variant="text" onClick={() => setPaused(paused === null ? (arrivals.data ?? []) : null)}>
          {paused === null ? 'Pause' : 'Go on'}
        </Button>
      </Box>
      <Notice error={arrivals.error ?? adopt.error} />
      {list.map((arrival) => {
        const kind = kindOf(arrival.deviceId);
        return (
          <ArrivalRow
            key={arrival.id}
            arrival={arrival}
            kind={kind}
            deviceName={nameOf(arrival.deviceId)}
            onAdopt={(name, shown) =>
              kind && adopt.mutate({ params: { kind: kind.id }, body: guessStream(name, shown) })
            }
          />
        );
      })}
      {list.length === 0 && (
        <Typography color="textSecondary">Nothing of this sort has arrived. The list is live.</Typography>
      )}
    </>
  );
}

/** All words by which a message can be found. */
function wordsOf({ payload, accepted, refused, way, deviceId }: Arrival, name: string): string {
  const parts = [
    ...accepted.map(({ key, value }) => `${key} ${JSON.stringify(value)}`),
    ...refused.map((one) => `${one.name} ${one.reason}`),
  ];
  return [name, deviceId, way, payload, ...parts].join(' ').toLowerCase();
}
