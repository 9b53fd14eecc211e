import { Box, Button, Link as Anchor } from '@mui/material';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import type { InterlocksOf } from '@peatmoor/contract';
import { useChange } from '../api';
import { Notice } from '../parts/Notice';
import { showClock } from '../parts/time';
import { useNow } from '../live';
import { ink } from '../theme';
import { OVERRIDE_MINUTES as MINUTES } from './useOverride';

/** What holds a control, or may hold it, in its order; and how to do without it for a while. */
export function HeldBy({
  device,
  of,
  maySteer,
}: {
  device: string;
  of: InterlocksOf;
  maySteer: boolean;
}): ReactNode {
  const now = useNow(1000);
  const override = useChange('overrideInterlocks', ['listInterlocks']);
  const end = useChange('endOverride', ['listInterlocks']);
  const holds = of.interlocks.find((one) => one.holds);
  const over = of.override !== null && of.override.until > now ? of.override : null;
  const others = of.interlocks.filter((one) => one !== holds);
  return (
    <Box sx={{ flex: '1 0 100%', fontSize: '0.95rem' }}>
      {holds && (
        <Box sx={{ display: 'flex', flexWrap: 'wrap', alignItems: 'center', columnGap: 2 }}>
          <Box sx={{ fontWeight: 600, ...(over !== null && { textDecoration: 'line-through' }) }}>
            Held at {holds.text} by{' '}
            <Anchor component={Link} to={`/events/${holds.event}`} color="inherit">
              {holds.title}
            </Anchor>
            {holds.since !== null && `, open since ${showClock(holds.since, now)}`}.
          </Box>
          {over !== null && (
            <Box>
              Overridden by {over.by} until {showClock(over.until, now)}.
            </Box>
          )}
          {maySteer &&
            (over === null ? (
              <Button
                size="small"
                variant="outlined"
                disabled={override.isPending}
                aria-label={`Override what holds ${of.title}, for ${MINUTES} min`}
                onClick={() =>
                  override.mutate({ params: { device }, body: { stream: of.stream, minutes: MINUTES } })
                }
              >
                Override for {MINUTES} min
              </Button>
            ) : (
              <Button
                size="small"
                variant="outlined"
                disabled={end.isPending}
                aria-label={`Let ${of.title} be held again`}
                onClick={() => end.mutate({ params: { device, stream: of.stream } })}
              >
                End it now
              </Button>
            ))}
        </Box>
      )}
      {others.length > 0 && (
        <Box sx={{ color: ink.soft }}>
          {holds ? 'Behind it' : 'Held while an event of these is open'}:{' '}
          {others
            .map(
              ({ rank, title, text, active, event }) =>
                `${rank}. ${title} at ${text}${active ? (event === null ? '' : ' (open)') : ' (switched off)'}`,
            )
            .join('; ')}
        </Box>
      )}
      <Notice error={override.error ?? end.error} />
    </Box>
  );
}
