import { Box, Button, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { guessStream, showReading } from '@peatmoor/core';
import type { Arrival, Device, Kind } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { Notice } from '../parts/Notice';
import { showSeconds } from '../parts/time';
import { ink, MONO } from '../theme';

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
  const arrivals = useRead('listArrivals', { params: { device: device.id } });
  const adopt = useChange('createStream', ['listKinds', 'readKind']);
  const list = arrivals.data?.slice(0, most) ?? [];
  const onAdopt = (name: string, shown: string): void =>
    adopt.mutate({ params: { kind: kind.id }, body: guessStream(name, shown) });
  return (
    <Box>
      <Notice error={arrivals.error ?? adopt.error} />
      {adopt.data && (
        <Notice tone="good">
          “{adopt.data.title}” is a datastream now. What comes from now on is kept; unit and range can be set
          on the kind.
        </Notice>
      )}
      {list.length === 0 && (
        <Typography color="text.secondary">
          Nothing has arrived yet. The list is live: the first message appears here by itself.
        </Typography>
      )}
      {list.map((arrival) => (
        <ArrivalRow key={arrival.id} arrival={arrival} kind={kind} onAdopt={onAdopt} />
      ))}
    </Box>
  );
}

function ArrivalRow({
  arrival,
  kind,
  onAdopt,
}: {
  arrival: Arrival;
  kind: Kind;
  onAdopt: (name: string, shown: string) => void;
}): ReactNode {
  const measured = arrival.accepted[0]?.at;
  return (
    <Box
      data-arrival
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: '1fr', sm: '92px 84px 1fr' },
        columnGap: 2,
        borderTop: `1px solid ${ink.faint}`,
        py: 0.75,
        alignItems: 'baseline',
      }}
    >
      <Box
        sx={{ fontFamily: MONO, fontSize: '0.9rem' }}
        title={`received ${new Date(arrival.receivedAt).toISOString()} from ${arrival.from}`}
      >
        {showSeconds(arrival.receivedAt)}
      </Box>
      <Box sx={{ color: ink.soft, fontSize: '0.85rem' }}>
        {arrival.way}
        {arrival.number !== null && ` #${arrival.number}`}
      </Box>
      <Box sx={{ minWidth: 0 }}>
        <Box sx={{ display: 'flex', flexWrap: 'wrap', columnGap: 2 }}>
          {arrival.accepted.map(({ key, value }, i) => {
            const stream = kind.streams.find((one) => one.key === key);
            return (
              <span key={`${key}${i}`}>
                <span style={{ color: ink.soft }}>{key}</span>{' '}
                <b style={{ fontFamily: MONO, fontWeight: 500 }}>
                  {stream ? showReading(stream, value) : value}
                </b>
              </span>
            );
          })}
          {arrival.acceptedCount > arrival.accepted.length && (
            <span>and {arrival.acceptedCount - arrival.accepted.length} more</span>
          )}
          {measured !== undefined && Math.abs(arrival.receivedAt - measured) > 1500 && (
            <span style={{ color: ink.soft, fontSize: '0.85rem' }}>
              measured {new Date(measured).toLocaleString('en-GB')}
            </span>
          )}
        </Box>
        {arrival.refused.map(({ name, reason, hint, shown }, i) => (
          <Box key={i} sx={{ display: 'flex', flexWrap: 'wrap', gap: 1, alignItems: 'baseline' }}>
            <Box sx={{ minWidth: 0, overflowWrap: 'anywhere' }}>
              <Box component="span" sx={{ color: ink.rowan, fontWeight: 700 }}>
                {[name, shown && `= ${shown}`].filter(Boolean).join(' ')} {reason}
              </Box>{' '}
              <span style={{ fontSize: '0.95rem' }}>{hint}</span>
            </Box>
            {reason === 'unknown-name' &&
              !kind.streams.some(({ key, aliases }) => key === name || aliases.includes(name)) && (
                <Button size="small" onClick={() => onAdopt(name, shown)}>
                  Make “{name}” a datastream
                </Button>
              )}
          </Box>
        ))}
      </Box>
    </Box>
  );
}
