import { Box, Button, ButtonBase, MenuItem, TextField, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
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
  const retake = useChange('retake', ['listArrivals', 'readDevice']);
  const [show, setShow] = useState<'all' | 'refused'>('all');
  const [paused, setPaused] = useState<Arrival[] | null>(null);
  const all = paused ?? arrivals.data ?? [];
  const list = all.filter(({ refusedCount }) => show === 'all' || refusedCount > 0).slice(0, most);
  const anyRefused = all.some(({ refusedCount }) => refusedCount > 0);
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
      {retake.data && (
        <Notice tone={retake.data.stillRefused === 0 ? 'good' : 'plain'}>
          {retake.data.messages} refused messages taken again: {retake.data.accepted} values accepted,{' '}
          {retake.data.stillRefused} still refused.
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
  const [open, setOpen] = useState(false);
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
        <ButtonBase
          onClick={() => setOpen(!open)}
          aria-expanded={open}
          aria-label={`message of ${showSeconds(arrival.receivedAt)}`}
          sx={{ font: 'inherit', textDecoration: 'underline dotted', textUnderlineOffset: '0.25em' }}
        >
          {showSeconds(arrival.receivedAt)}
        </ButtonBase>
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
                  {stream ? showReading(stream, value) : String(value)}
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
        {open && <MessageFacts arrival={arrival} />}
      </Box>
    </Box>
  );
}

/** The message itself: when it came and from where, how large, how written, and what it said. */
function MessageFacts({ arrival }: { arrival: Arrival }): ReactNode {
  return (
    <Box sx={{ my: 1, pl: 1.5, borderLeft: `3px solid ${ink.line}`, fontSize: '0.9rem' }}>
      <Box sx={{ color: ink.soft }}>
        received {new Date(arrival.receivedAt).toLocaleString('en-GB')}
        {arrival.from && ` from ${arrival.from}`}, {arrival.size} bytes, {arrival.form || 'no body'}
      </Box>
      {arrival.payload && (
        <Box
          component="pre"
          sx={{ m: 0, mt: 0.5, fontFamily: MONO, whiteSpace: 'pre-wrap', overflowWrap: 'anywhere' }}
        >
          {arrival.payload}
        </Box>
      )}
    </Box>
  );
}
