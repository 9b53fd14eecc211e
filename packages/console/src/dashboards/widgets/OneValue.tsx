import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { isQuiet, sampleValue, type Value } from '@peatmoor/core';
import { useHeardUntil, useLive, useNewest } from '../../live';
import { showClock } from '../../parts/time';
import { ink } from '../../theme';
import type { Source } from '../useCatalogue';
import { SampleNote } from './Sampled';

/** The newest value of a source, or a sample value where it has no device yet. */
export interface Newest {
  value: Value | undefined;
  at: number | undefined;
  sample: boolean;
  /** There has been no reading for longer than usual. */
  quiet: boolean;
}

/** The frame of a widget with one value: says that it is a sample, that there is none yet, or since when there is no new one. */
export function OneValue({
  source,
  children,
}: {
  source: Source;
  children: (newest: Newest) => ReactNode;
}): ReactNode {
  const { device, stream, kind } = source;
  // Nobody blames a device for a dead link.
  const now = useHeardUntil();
  const { connected } = useLive();
  const newest = useNewest(device?.id ?? null, stream.key);
  const sample = device === null;
  const quiet = newest !== undefined && isQuiet(newest.at, kind.intervalS, now) ? newest.at : null;
  return (
    <Box
      sx={{
        height: '100%',
        display: 'flex',
        flexDirection: 'column',
        minHeight: 0,
        // Dimmed no further than soft words can still be read.
        opacity: quiet ? 0.92 : 1,
      }}
    >
      {/* By its width figures fit on a line. */}
      <Box
        sx={{
          flex: 1,
          minHeight: 0,
          containerType: 'inline-size',
          // What has no room is never drawn over what is said below.
          overflow: 'clip',
          overflowClipMargin: '2px',
        }}
      >
        {children({
          value: sample ? sampleValue(stream, now) : newest?.value,
          at: newest?.at,
          sample,
          quiet: quiet !== null,
        })}
      </Box>
      {sample && <SampleNote>sample value</SampleNote>}
      {!sample && newest === undefined && (
        <Box sx={{ color: ink.soft, fontSize: '0.85rem' }}>no reading yet</Box>
      )}
      {!connected && !sample && (
        <Box sx={{ color: ink.soft, fontSize: '0.85rem' }}>as of {showClock(now, now)}</Box>
      )}
      {quiet && (
        <Box
          sx={{
            fontSize: '0.85rem',
            background: `repeating-linear-gradient(135deg, ${ink.line} 0 1px, transparent 1px 5px)`,
          }}
        >
          no reading since {showClock(quiet, now)}
        </Box>
      )}
    </Box>
  );
}
