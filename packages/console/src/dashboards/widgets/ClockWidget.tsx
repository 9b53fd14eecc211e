import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { optionOf, showDuration } from '@peatmoor/core';
import { serviceNow, useNow } from '../../live';
import { fromLocal } from '../../parts/localTime';
import { dates } from '../../parts/time';
import { ink, MONO } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';

/** The time of day, or how long it is until a moment. */
function ClockBody({ widget }: WidgetProps): ReactNode {
  const seconds = optionOf(widget, 'seconds') === true;
  const until = String(optionOf(widget, 'until') ?? '');
  useNow(seconds || until !== '' ? 1000 : 5000);
  // The service's time: one's own clock may be wrong.
  const now = serviceNow();
  const end = fromLocal(until) ?? NaN;
  const { clock: clockOf, seconds: secondsOf, wholeDay, dateTime } = dates();
  return (
    <Box sx={{ height: '100%', display: 'flex', flexDirection: 'column', pt: 1 }}>
      <Box sx={{ fontFamily: MONO, fontSize: 'clamp(1.6rem, 3vw, 2.4rem)', lineHeight: 1.1 }}>
        {Number.isNaN(end) ? (seconds ? secondsOf : clockOf)(now) : showDuration(Math.abs(end - now))}
      </Box>
      <Box sx={{ color: ink.soft, fontSize: '0.9rem' }}>
        {Number.isNaN(end) ? wholeDay(now) : `${end >= now ? 'until' : 'since'} ${dateTime(end)}`}
      </Box>
    </Box>
  );
}

export const clock: DrawnWidget = { Body: ClockBody, phoneHeight: 116 };
