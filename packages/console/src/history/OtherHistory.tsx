import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { Box, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import type { Datastream, Location, Value } from '@peatmoor/core';
import type { Period } from '../charts/period';
import { Track } from '../charts/Track';
import { api } from '../api';
import { useNewest, useNow } from '../live';
import { Notice } from '../parts/Notice';
import { showClock, showSeconds } from '../parts/time';
import { ink, MONO } from '../theme';
import { Pictures } from './Pictures';

const MOST_TEXTS = 100;
const MOST_PICTURES = 24;

/** What a datastream of texts, places or pictures had over a period. */
export function OtherHistory({
  device,
  stream,
  period,
  untitled = false,
}: {
  device: string;
  stream: Datastream;
  period: Period;
  /** True where its title stands above it already. */
  untitled?: boolean;
}): ReactNode {
  const now = useNow(30_000);
  // The newest live one is part of the question, so that a new one is read at once.
  const newest = useNewest(device, stream.key)?.at ?? 0;
  const to = period.until ?? Math.max(Math.ceil(now / 30_000) * 30_000, newest + 1);
  const limit = stream.type === 'location' ? 2000 : stream.type === 'text' ? MOST_TEXTS : MOST_PICTURES;
  const input = {
    params: { device },
    query: { stream: stream.key, from: to - period.ms, to, limit },
  };
  const answer = useQuery({
    queryKey: ['listOthers', input, newest],
    queryFn: () => api.call('listOthers', input),
    // What was there stays until the new one is read.
    placeholderData: keepPreviousData,
  });
  const readings = answer.data?.readings ?? [];
  return (
    <Box data-others={stream.key} sx={{ height: untitled ? '100%' : 'auto' }}>
      {(!untitled || answer.data?.cut) && (
        <Box sx={{ fontSize: '0.9rem', mb: 0.5 }}>
          {!untitled && stream.title}
          {answer.data?.cut && (
            <span style={{ color: ink.soft }}>
              {untitled ? 'The' : ', the'} newest {limit}
            </span>
          )}
        </Box>
      )}
      <Notice error={answer.error} />
      {answer.data && readings.length === 0 && (
        <Typography color="textSecondary">Nothing in this period.</Typography>
      )}
      {stream.type === 'text' && <Texts readings={readings} now={now} />}
      {stream.type === 'location' && readings.length > 0 && (
        <Track places={readings.map(({ at, value }) => ({ at, ...(value as Location) }))} />
      )}
      {stream.type === 'image' && (
        <Pictures device={device} stream={stream} times={readings.map(({ at }) => at)} fills={untitled} />
      )}
    </Box>
  );
}

function Texts({ readings, now }: { readings: { at: number; value: Value }[]; now: number }): ReactNode {
  return readings.map(({ at, value }) => (
    <Box key={at} sx={{ display: 'flex', gap: 2, borderTop: `1px solid ${ink.faint}`, py: 0.25 }}>
      <span style={{ fontFamily: MONO, color: ink.soft, whiteSpace: 'nowrap' }} title={showSeconds(at)}>
        {showClock(at, now)}
      </span>
      <span style={{ overflowWrap: 'anywhere', minWidth: 0 }}>{String(value)}</span>
    </Box>
  ));
}
