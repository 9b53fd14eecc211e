import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { optionOf, showDuration } from '@peatmoor/core';
import { serviceNow, useNow } from '../../live';
import { ink, MONO } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';

/** The time of day, or how long it is until a moment. */
function ClockBody({ widget }: WidgetProps): ReactNode {
  const seconds = optionOf(widget, 'seconds') === true;
  const until = String(optionOf(widget, 'until') ?? '');
  useNow(seconds || until !== '' ? 1000 : 5000);
  // The service's time: one's own clock may be wrong.
  const now = serviceNow();
  const end = until === '' ? NaN : Date.parse(until.replace(' ', 'T'));
  const date = new Date(now);
  return (
    <Box sx={{ height: '100%', display: 'flex', flexDirection: 'column', pt: 1 }}>
      <Box sx={{ fontFamily: MONO, fontSize: 'clamp(1.6rem, 3vw, 2.4rem)', lineHeight: 1.1 }}>
        {Number.isNaN(end)
          ? date.toLocaleTimeString('en-GB', {
              hour: '2-digit',
              minute: '2-digit',
              ...(seconds && { second: '2-digit' }),
            })
          : showDuration(Math.abs(end - now))}
      </Box>
      <Box sx={{ color: ink.soft, fontSize: '0.9rem' }}>
        {Number.isNaN(end)
          ? date.toLocaleDateString('en-GB', { weekday: 'long', day: 'numeric', month: 'long' })
          : `${end >= now ? 'until' : 'since'} ${new Date(end).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })}`}
      </Box>
    </Box>
  );
}

export const clock: DrawnWidget = { Body: ClockBody, phoneHeight: 116 };
