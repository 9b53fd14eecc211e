import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { optionOf, showDuration } from '@peatmoor/core';
import { useEvents } from '../../events/useEvents';
import { useNow } from '../../live';
import { EventFlag } from '../../parts/marks';
import { showClock } from '../../parts/time';
import { ink } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';

const MOST = 30;

/** Open events first, then what was, newest first. */
function EventsBody({ widget }: WidgetProps): ReactNode {
  const now = useNow();
  const onlyOpen = optionOf(widget, 'only') === 'open';
  const { events, error } = useEvents({ limit: MOST, ...(onlyOpen && { state: 'open' }) });
  if (events === undefined)
    return error === null ? null : <Box sx={{ color: ink.soft }}>Not known just now.</Box>;
  const shown = events.slice(0, MOST);
  const openBeside = events.slice(MOST).filter(({ closedAt }) => closedAt === null).length;
  return (
    <Box sx={{ height: '100%', overflowY: 'auto' }} tabIndex={0} role="group" aria-label="Events">
      {shown.length === 0 && (
        <Box sx={{ color: ink.soft }}>{onlyOpen ? 'Nothing is open.' : 'Nothing yet.'}</Box>
      )}
      {shown.map((event) => {
        const open = event.closedAt === null;
        return (
          <Box
            key={event.id}
            component={Link}
            to={`/events/${event.id}`}
            sx={{
              display: 'grid',
              gridTemplateColumns: '22px 1fr auto',
              gap: 1,
              py: 0.6,
              borderTop: `1px solid ${ink.faint}`,
              textDecoration: 'none',
              color: open ? ink.ink : ink.soft,
              fontSize: '0.95rem',
            }}
          >
            <EventFlag
              open={open}
              acknowledged={event.acknowledgedAt !== null}
              urgent={event.severity === 'urgent'}
            />
            <span style={{ fontWeight: open ? 700 : 400, minWidth: 0, overflowWrap: 'anywhere' }}>
              {event.title} <span style={{ color: ink.soft, fontWeight: 400 }}>{event.deviceName}</span>
            </span>
            <span style={{ whiteSpace: 'nowrap' }}>
              {open ? showDuration(Math.max(1000, now - event.openedAt)) : showClock(event.openedAt, now)}
            </span>
          </Box>
        );
      })}
      {openBeside > 0 && (
        <Box component={Link} to="/events?state=open" sx={{ fontSize: '0.95rem', color: ink.ink }}>
          {openBeside} more open
        </Box>
      )}
    </Box>
  );
}

export const events: DrawnWidget = { Body: EventsBody, phoneHeight: 240 };
