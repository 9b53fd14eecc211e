import { useQuery } from '@tanstack/react-query';
import { Box, Button, TextField, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { Link, useParams } from 'react-router';
import { aroundEvent, isNumeric, showDuration } from '@peatmoor/core';
import type { WholeEvent } from '@peatmoor/contract';
import { api, useChange, useRead } from '../api';
import { Comments } from '../events/Comments';
import { useWatched } from '../events/EventRow';
import { useNow } from '../live';
import { Heading, Section } from '../parts/Heading';
import { EventFlag } from '../parts/marks';
import { Notice } from '../parts/Notice';
import { NotThere } from '../parts/NotThere';
import { showSeconds, showClock } from '../parts/time';
import { useDisplay } from '../parts/useDisplay';
import { useMay } from '../parts/useMay';
import { LimitChart } from '../rules/LimitChart';
import { Mutes } from '../rules/Mutes';
import { ink, MONO } from '../theme';

const BUCKETS = 300;
const ROUND_MS = 30_000;

const CHANNELS: Record<string, string> = {
  email: 'email',
  push: 'push',
  screen: 'open pages',
  webhook: 'webhook',
  control: 'control',
};
const STATES: Record<string, string> = {
  waiting: 'waits',
  sent: 'sent',
  failed: 'given up',
  held: 'kept back',
  muted: 'kept back',
  stopped: 'kept back',
  unconfirmed: 'kept back',
};
const PHASES: Record<string, string> = {
  opened: 'that it opened',
  closed: 'that it is over',
  reminder: 'a reminder',
  escalated: 'that nobody acknowledged it',
  held: 'that it steers too often',
  override: 'that it was overridden',
  undone: 'that what it wanted was not done',
  unreached: 'that somebody is not reached',
};

/** One event and everything that happened: alerts, each try, who acknowledged, what was wanted. */
export function EventPage(): ReactNode {
  const { event: id = '' } = useParams();
  const read = useRead('readEvent', { params: { event: id } });
  const now = useNow(1000);
  const [remark, setRemark] = useState('');
  const acknowledge = useChange('acknowledgeEvent', ['listEvents', 'readEvent', 'countEvents']);
  const close = useChange('closeEvent', ['listEvents', 'readEvent', 'countEvents', 'listDevices']);
  const comment = useChange('commentEvent', ['readEvent']);
  const said = { onSuccess: () => setRemark('') };
  const may = useMay('steer');
  const watchedBy = useWatched();
  const displayOf = useDisplay();
  if (read.data === undefined)
    return <NotThere error={read.error} what="event" back={['All events', '/events']} />;
  const event = read.data;
  const { stream } = watchedBy(event);
  const show = (value: number | null): string =>
    value === null || stream === undefined ? '' : displayOf(stream).reading(value);
  const open = event.closedAt === null;
  return (
    <>
      <Heading
        name={event.title}
        title={
          <>
            <EventFlag
              open={open}
              acknowledged={event.acknowledgedAt !== null}
              urgent={event.severity === 'urgent'}
            />{' '}
            {event.title}
          </>
        }
        below={
          <>
            <Link to={`/devices/${event.deviceId}`}>{event.deviceName}</Link>, {event.severity},{' '}
            {open
              ? `open for ${showDuration(Math.max(1000, now - event.openedAt))}`
              : `closed after ${showDuration(event.closedAt! - event.openedAt)}`}
          </>
        }
      >
        <Button component={Link} to={`/events/rules/${event.ruleId}`}>
          Its rule
        </Button>
      </Heading>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'flex-end', mb: 2 }}>
        {open && event.acknowledgedAt === null && (
          <Button
            variant="contained"
            color="primary"
            disabled={!may || acknowledge.isPending}
            onClick={() => acknowledge.mutate({ params: { event: event.id }, body: { remark } }, said)}
          >
            Acknowledge
          </Button>
        )}
        {open && (
          <Button
            disabled={!may || close.isPending}
            onClick={() => close.mutate({ params: { event: event.id }, body: { remark } }, said)}
          >
            Close
          </Button>
        )}
        <TextField
          label="Comment"
          value={remark}
          placeholder="on my way"
          onChange={({ target }) => setRemark(target.value)}
          slotProps={{ inputLabel: { shrink: true }, htmlInput: { maxLength: 300 } }}
          sx={{ flex: '1 1 200px', maxWidth: 400 }}
        />
        {(remark.trim() !== '' || !open) && (
          <Button
            disabled={!may || comment.isPending || remark.trim() === ''}
            onClick={() => comment.mutate({ params: { event: event.id }, body: { text: remark } }, said)}
          >
            Say it
          </Button>
        )}
      </Box>
      <Notice error={acknowledge.error ?? close.error ?? comment.error} />
      <Typography sx={{ borderLeft: `3px solid ${ink.heather}`, pl: 2, mb: 2, overflowWrap: 'anywhere' }}>
        {event.sentence}
      </Typography>
      {stream !== undefined && isNumeric(stream) && event.value !== null && (
        <Around event={event} now={now} />
      )}
      {event.comments.length > 0 && (
        <Section title="What was said">
          <Comments comments={event.comments} />
        </Section>
      )}
      <Section title="What happened">
        <Box component="ol" sx={{ listStyle: 'none', p: 0, m: 0 }}>
          {storyOf(event, show, now).map(({ at, words, detail }, i) => (
            <Box
              component="li"
              key={i}
              sx={{
                display: 'grid',
                gridTemplateColumns: { xs: '1fr', sm: '150px 1fr' },
                columnGap: 2,
                borderTop: `1px solid ${ink.faint}`,
                py: 0.75,
              }}
            >
              <Box sx={{ fontFamily: MONO, fontSize: '0.9rem', color: ink.soft }}>
                {showClock(at, now).replace(/\d\d:\d\d$/, '')}
                {showSeconds(at)}
              </Box>
              <Box sx={{ minWidth: 0, overflowWrap: 'anywhere' }}>
                {words}
                {detail && <Box sx={{ color: ink.soft, fontSize: '0.9rem' }}>{detail}</Box>}
              </Box>
            </Box>
          ))}
        </Box>
      </Section>
      <Section title="Quiet for a while" note={`No alerts from ${event.deviceName}, whatever the rule.`}>
        <Mutes sort="device" target={event.deviceId} />
      </Section>
    </>
  );
}

/** Everything that happened, in order of time. */
function storyOf(
  event: WholeEvent,
  show: (value: number | null) => string,
  now: number,
): { at: number; words: string; detail: string }[] {
  const alerts = new Map(event.alerts.map((alert) => [alert.id, alert]));
  const reached = ({ channel, recipient }: WholeEvent['alerts'][number]): string =>
    channel === 'control' ? recipient : `${recipient} by ${CHANNELS[channel] ?? channel}`;
  return [
    {
      at: event.openedAt,
      words: `Opened${event.value === null ? '' : ` at ${show(event.value)}`}`,
      detail: '',
    },
    ...(event.acknowledgedAt === null
      ? []
      : [
          {
            at: event.acknowledgedAt,
            words: `Acknowledged by ${event.acknowledgedBy}`,
            // What stands as a comment is not said twice.
            detail: event.comments.some(({ text }) => text === event.remark) ? '' : event.remark,
          },
        ]),
    ...(event.closedAt === null
      ? []
      : [
          {
            at: event.closedAt,
            words: `Closed${event.closedBy && ` by ${event.closedBy}`}`,
            detail: event.extreme === null ? '' : `Peak ${show(event.extreme)}`,
          },
        ]),
    ...event.alerts
      .filter(({ state }) => state !== 'sent' && state !== 'failed')
      .map((alert) => ({
        at: alert.queuedAt,
        words: `Telling ${reached(alert)} ${PHASES[alert.phase] ?? alert.phase}: ${STATES[alert.state] ?? alert.state}${
          alert.state === 'waiting' && alert.dueAt > now ? ` until ${showClock(alert.dueAt, now)}` : ''
        }`,
        detail: alert.error,
      })),
    ...event.alerts
      .filter(({ state, id }) => state === 'failed' && !event.tries.some(({ alertId }) => alertId === id))
      .map((alert) => ({
        at: alert.queuedAt,
        words: `Telling ${reached(alert)} was not possible`,
        detail: alert.error,
      })),
    ...event.tries.flatMap(({ alertId, at, sent, outcome }) => {
      const alert = alerts.get(alertId);
      if (alert === undefined) return [];
      const what =
        alert.channel === 'control'
          ? `Wanted ${alert.recipient}`
          : `Told ${reached(alert)} ${PHASES[alert.phase] ?? alert.phase}`;
      return [{ at, words: sent ? what : `${what}: not this time`, detail: outcome }];
    }),
    ...event.commands.map(({ at, stream, deviceId, value, state }) => ({
      at,
      words: `${stream} of ${deviceId} is wanted to be ${value}`,
      detail: state,
    })),
  ].sort((a, b) => a.at - b.at);
}

/** The readings around the event. */
function Around({ event, now }: { event: WholeEvent; now: number }): ReactNode {
  const { stream } = useWatched()(event);
  const displayOf = useDisplay();
  const rule = useRead('readRule', { params: { rule: event.ruleId ?? 0 } }, event.ruleId !== null).data;
  // Rounded, so that it is not another question at every look.
  const { from, to } = aroundEvent(event, Math.ceil(now / ROUND_MS) * ROUND_MS);
  const line = useQuery({
    queryKey: ['history', event.deviceId, event.stream, 'event', from, to],
    queryFn: async () =>
      (
        await api.call('history', {
          params: { device: event.deviceId },
          query: { streams: event.stream, from, to, buckets: BUCKETS },
        })
      ).lines[0]!,
    retry: false,
  }).data;
  if (line === undefined || stream === undefined) return null;
  return (
    <LimitChart
      line={line}
      from={from}
      to={to}
      events={[{ ...event }]}
      limits={[rule?.limit, rule?.low, rule?.high].filter((one) => one !== undefined)}
      draggable={false}
      display={displayOf(stream)}
      onLimit={() => undefined}
    />
  );
}
