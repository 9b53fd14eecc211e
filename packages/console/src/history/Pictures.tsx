import { Box, Button } from '@mui/material';
import { useState, type KeyboardEvent, type ReactNode } from 'react';
import { counted, type Datastream } from '@peatmoor/core';
import { Picture } from '../parts/Picture';
import { dates } from '../parts/time';
import { ink } from '../theme';

/** The newest picture, or the one that was chosen, with a strip of all of them below; arrow keys step through them. */
export function Pictures({
  device,
  stream,
  times,
  fills,
}: {
  device: string;
  stream: Datastream;
  /** When they were taken, epoch ms, in any order. */
  times: readonly number[];
  /** True where it fills the height that there is; else it is as high as a page has room for. */
  fills: boolean;
}): ReactNode {
  // Null goes on with the newest.
  const [chosen, setChosen] = useState<number | null>(null);
  if (times.length === 0) return null;
  const newestFirst = [...times].sort((a, b) => b - a);
  const place = chosen === null ? 0 : Math.max(0, newestFirst.indexOf(chosen));
  const at = newestFirst[place]!;
  const go = (to: number): void => {
    const next = Math.min(newestFirst.length - 1, Math.max(0, to));
    setChosen(next === 0 ? null : newestFirst[next]!);
  };
  const step = (event: KeyboardEvent): void => {
    const by = { ArrowLeft: 1, ArrowRight: -1 }[event.key];
    if (by === undefined) return;
    event.preventDefault();
    go(place + by);
  };
  const several = newestFirst.length > 1;
  return (
    <Box
      role="group"
      aria-label={`Pictures of ${stream.title}`}
      onKeyDown={step}
      sx={{
        display: 'flex',
        flexDirection: 'column',
        gap: 0.75,
        height: fills ? '100%' : 'auto',
        minHeight: 0,
      }}
    >
      <Box
        data-large
        sx={{
          ...(fills ? { flex: 1, minHeight: 60 } : { height: 'min(420px, 60vh)' }),
          '& img': { width: '100%', height: '100%', objectPosition: 'left top' },
        }}
      >
        <Picture device={device} stream={stream} at={at} />
      </Box>
      <Box sx={{ display: 'flex', alignItems: 'center', gap: 1, fontSize: '0.85rem', color: ink.soft }}>
        {several && (
          <Button
            size="small"
            aria-label="The picture before"
            disabled={place === newestFirst.length - 1}
            onClick={() => go(place + 1)}
          >
            ‹
          </Button>
        )}
        <span role="status">
          {dates().exact(at)}
          {several &&
            ` · ${place === 0 ? 'the newest' : place + 1} of ${counted(newestFirst.length, 'picture')}`}
        </span>
        {several && (
          <Button
            size="small"
            aria-label="The next picture"
            disabled={place === 0}
            onClick={() => go(place - 1)}
          >
            ›
          </Button>
        )}
      </Box>
      {several && (
        <Box sx={{ display: 'flex', gap: 1, overflowX: 'auto', flex: 'none', pb: 0.5 }}>
          {newestFirst.map((one, i) => (
            <Box
              key={one}
              component="button"
              aria-label={`picture of ${dates().exact(one)}`}
              aria-pressed={one === at}
              onClick={() => go(i)}
              sx={{
                p: 0,
                border: 0,
                bgcolor: 'transparent',
                cursor: 'pointer',
                flex: 'none',
                width: 76,
                height: 50,
                outline: one === at ? `2px solid ${ink.heather}` : 'none',
                outlineOffset: -2,
                '& img': { width: '100%', height: '100%', objectFit: 'cover' },
              }}
            >
              <Picture device={device} stream={stream} at={one} />
            </Box>
          ))}
        </Box>
      )}
    </Box>
  );
}
