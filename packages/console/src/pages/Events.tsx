import { Box, Button, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { CONDITIONS, counted, ruleSentence, showDuration, watched, type Condition } from '@peatmoor/core';
import type { Event, Rule } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { useLive, useNow } from '../live';
import { Heading, Section } from '../parts/Heading';
import { EventFlag } from '../parts/marks';
import { Notice } from '../parts/Notice';
import { showClock } from '../parts/time';
import { useDisplay } from '../parts/useDisplay';
import { ink } from '../theme';

/** What happened, newest first, and the rules that say so. */
export function Events(): ReactNode {
  const events = useRead('listEvents');
  const rules = useRead('listRules');
  const now = useNow(1000);
  const { connected } = useLive();
  const open = events.data?.filter(({ closedAt }) => closedAt === null) ?? [];
  const closed = events.data?.filter(({ closedAt }) => closedAt !== null) ?? [];
  return (
    <>
      <Heading
        title="Events"
        below={
          events.data === undefined
            ? events.error === null
              ? 'Looking …'
              : 'Not known just now.'
            : `${open.length === 0 ? 'Nothing is open' : `${open.length} open`}${connected ? '.' : ', as far as was heard before the link was lost.'}`
        }
      >
        <Button variant="contained" color="primary" component={Link} to="/events/rules/new">
          New event rule
        </Button>
      </Heading>
      <Notice error={events.error ?? rules.error} />
      {open.map((event) => (
        <EventRow key={event.id} event={event} now={now} />
      ))}
      <Section title="Event rules" note="Each is one sentence.">
        {rules.data?.map((rule) => (
          <Box
            key={rule.id}
            sx={{
              borderTop: `1px solid ${ink.faint}`,
              py: 1,
              display: 'grid',
              gridTemplateColumns: { xs: '1fr', sm: '1fr auto' },
              columnGap: 3,
              opacity: rule.active ? 1 : 0.6,
            }}
          >
            <Box>
              <Typography variant="h3" component={Link} to={`/events/rules/${rule.id}`}>
                {rule.title}
              </Typography>
              <Sentence rule={rule} />
            </Box>
            <Box sx={{ color: ink.soft, fontSize: '0.9rem', textAlign: { sm: 'right' } }}>
              {rule.active ? rule.severity : 'switched off'}
              <br />
              {rule.emails.length > 0 ? `email to ${rule.emails.join(', ')}` : 'alerts nobody'}
            </Box>
          </Box>
        ))}
        {rules.data?.length === 0 && <Typography color="text.secondary">None yet.</Typography>}
      </Section>
      <Section title="Closed events">
        {closed.slice(0, 50).map((event) => (
          <EventRow key={event.id} event={event} now={now} />
        ))}
        {events.data !== undefined && closed.length === 0 && (
          <Typography color="text.secondary">None yet.</Typography>
        )}
      </Section>
    </>
  );
}

/** Tells what a rule or an event is about. */
function useWatched() {
  const devices = useRead('listDevices').data;
  const kinds = useRead('listKinds').data;
  return (about: Parameters<typeof watched>[0]) => watched(about, devices, kinds);
}

/** A rule as the service writes it, with the limits in the units of whoever looks. */
function Sentence({ rule }: { rule: Rule }): ReactNode {
  const { stream, whom } = useWatched()(rule);
  const displayOf = useDisplay();
  if (stream === undefined || CONDITIONS[rule.comparison].watches === 'facts')
    return <Box>{rule.sentence}</Box>;
  return <Box>{ruleSentence(rule as Condition, stream, whom, displayOf(stream).reading)}</Box>;
}

function EventRow({ event, now }: { event: Event; now: number }): ReactNode {
  const acknowledge = useChange('acknowledgeEvent', ['listEvents']);
  const close = useChange('closeEvent', ['listEvents', 'listDevices']);
  const open = event.closedAt === null;
  const { stream } = useWatched()(event);
  const display = useDisplay();
  const failed = event.alerts.find(({ state }) => state === 'failed');
  const sent = event.alerts.filter(({ state }) => state === 'sent').length;
  return (
    <Box
      data-event={open ? 'open' : 'closed'}
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: '28px 1fr', sm: '28px 1fr auto' },
        gap: 1,
        borderTop: `1px solid ${open ? ink.line : ink.faint}`,
        py: 1.25,
      }}
    >
      <Box sx={{ pt: 0.25 }}>
        <EventFlag
          open={open}
          acknowledged={event.acknowledgedAt !== null}
          urgent={event.severity === 'urgent'}
        />
      </Box>
      <Box sx={{ minWidth: 0 }}>
        <Typography variant="h3" component="div" sx={{ fontWeight: open ? 700 : 500 }}>
          {event.title}
        </Typography>
        <Box sx={{ color: ink.soft, fontSize: '0.95rem' }}>
          <Link to={`/devices/${event.deviceId}`}>{event.deviceName}</Link>, {event.severity}. Opened{' '}
          {showClock(event.openedAt, now)}
          {stream !== undefined &&
            stream.type !== 'boolean' &&
            ` at ${display(stream).reading(event.value)}${
              event.extreme === event.value ? '' : `, furthest ${display(stream).reading(event.extreme)}`
            }`}
          {open
            ? `, open for ${showDuration(Math.max(1000, now - event.openedAt))}`
            : `, closed after ${showDuration(event.closedAt! - event.openedAt)}`}
          {event.acknowledgedAt !== null && `, acknowledged by ${event.acknowledgedBy}`}
          {sent > 0 && `. ${counted(sent, 'email')} sent`}
          {failed && `. An alert to ${failed.recipient} failed: ${failed.error}`}
        </Box>
        <Notice error={acknowledge.error ?? close.error} />
      </Box>
      <Box sx={{ gridColumn: { xs: 2, sm: 3 }, display: 'flex', gap: 1, alignItems: 'center' }}>
        {open && event.acknowledgedAt === null && (
          <Button
            size="small"
            disabled={acknowledge.isPending}
            onClick={() => acknowledge.mutate({ params: { event: event.id } })}
          >
            Acknowledge
          </Button>
        )}
        {open && (
          <Button
            size="small"
            disabled={close.isPending}
            onClick={() => close.mutate({ params: { event: event.id } })}
          >
            Close
          </Button>
        )}
      </Box>
    </Box>
  );
}
