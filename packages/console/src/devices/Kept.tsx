import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { aloneSentence, keepingOf, keepingSentence, runSentence, type Datastream } from '@peatmoor/core';
import type { Device, InterlocksOf } from '@peatmoor/contract';
import { useNow } from '../live';
import { showClock } from '../parts/time';
import { ink } from '../theme';

/** How long a control may run, what its board does without a link, and whether the board keeps that by itself. */
export function Kept({
  device,
  stream,
  held,
}: {
  device: Device;
  stream: Datastream;
  held: InterlocksOf | undefined;
}): ReactNode {
  const now = useNow(1000);
  const { runAtMost, withoutLink } = stream;
  if (runAtMost === null && withoutLink === null) return null;
  const keeping = keepingOf(stream, device.about.keeps);
  const until = (words: string, at: number | null | undefined): string[] =>
    at != null && at > now ? [`${words} until ${showClock(at, now)}`] : [];
  const does = [...until('runs', held?.runUntil), ...until('rests', held?.restUntil)];
  return (
    <Box sx={{ flex: '1 0 100%', fontSize: '0.95rem', color: ink.soft }}>
      {runAtMost !== null && (
        <Box>
          {sentence(runSentence(stream, runAtMost))}
          {does.length > 0 && (
            <Box component="span" sx={{ color: ink.ink, fontWeight: 600 }}>
              {' '}
              It {does.join(', ')}.
            </Box>
          )}
        </Box>
      )}
      {withoutLink !== null && (
        <Box>
          Without a link: {aloneSentence(stream, withoutLink)}
          {keeping === 'kept' && device.presence.state === 'quiet' && (
            <Box component="span" sx={{ color: ink.ink, fontWeight: 600 }}>
              , so from {showClock(device.presence.since + withoutLink.afterS * 1000, now)} on at the latest
            </Box>
          )}
          .
        </Box>
      )}
      <Box sx={keeping === 'kept' ? {} : { color: ink.rowan }}>{keepingSentence(keeping)}</Box>
    </Box>
  );
}

const sentence = (text: string): string => `${text.charAt(0).toUpperCase()}${text.slice(1)}.`;
