import { Box, Button, Checkbox, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { counted, showDuration, watched } from '@peatmoor/core';
import type { Event } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { EventFlag } from '../parts/marks';
import { Notice } from '../parts/Notice';
import { showClock } from '../parts/time';
import { useDisplay } from '../parts/useDisplay';
import { useMay } from '../parts/useMay';
import { ink } from '../theme';

/** Tells what an event is about. */
export function useWatched() {
  const devices = useRead('listDevices').data;
  const kinds = useRead('listKinds').data;
  return (about: Parameters<typeof watched>[0]) => watched(about, devices, kinds);
}

/** An event in a list. */
export function EventRow({
  event,
  now,
  chosen,
  onChoose,
}: {
  event: Event;
  now: number;
  chosen?: boolean;
  onChoose?: (on: boolean) => void;
}): ReactNode {
  const acknowledge = useChange('acknowledgeEvent', ['listEvents', 'countEvents']);
  const close = useChange('closeEvent', ['listEvents', 'countEvents', 'listDevices']);
  const may = useMay('steer');
  const open = event.closedAt === null;
  const { stream } = useWatched()(event);
  const display = useDisplay();
  const failed = event.alerts.find(({ state }) => state === 'failed');
  const kept = event.alerts.filter(({ state }) =>
    ['muted', 'held', 'stopped', 'unconfirmed'].includes(state),
  ).length;
  const sent = event.alerts.filter(({ state, channel }) => state === 'sent' && channel !== 'control').length;
  const show = (value: number | null): string =>
    value === null || stream === undefined || stream.type === 'boolean' ? '' : display(stream).reading(value);
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
        {onChoose && (
          <Checkbox
            size="small"
            checked={chosen ?? false}
            onChange={(_event, on) => onChoose(on)}
            slotProps={{ input: { 'aria-label': `Choose ${event.title}, ${event.deviceName}` } }}
            sx={{ p: 0, mt: 0.5, ml: -0.5 }}
          />
        )}
      </Box>
      <Box sx={{ minWidth: 0 }}>
        <Typography
          variant="h3"
          component={Link}
          to={`/events/${event.id}`}
          sx={{ fontWeight: open ? 700 : 500 }}
        >
          {event.title}
        </Typography>
        <Box sx={{ color: ink.soft, fontSize: '0.95rem' }}>
          <Link to={`/devices/${event.deviceId}`}>{event.deviceName}</Link>, {event.severity}. Opened{' '}
          {showClock(event.openedAt, now)}
          {show(event.value) !== '' &&
            ` at ${show(event.value)}${event.extreme === event.value ? '' : `, peak ${show(event.extreme)}`}`}
          {open
            ? `, open for ${showDuration(Math.max(1000, now - event.openedAt))}`
            : `, closed${event.closedBy && ` by ${event.closedBy}`} after ${showDuration(event.closedAt! - event.openedAt)}`}
          {event.acknowledgedAt !== null && `, acknowledged by ${event.acknowledgedBy}`}
          {event.remark && `: ${event.remark}`}
          {event.alerts.every(({ channel }) => channel === 'control') && '. Nobody was told'}
          {sent > 0 && `. ${counted(sent, 'alert')} sent`}
          {kept > 0 && `. ${counted(kept, 'alert')} kept back`}
          {failed && `. An alert to ${failed.recipient} failed: ${failed.error}`}
        </Box>
        <Notice error={acknowledge.error ?? close.error} />
      </Box>
      <Box sx={{ gridColumn: { xs: 2, sm: 3 }, display: 'flex', gap: 1, alignItems: 'center' }}>
        {open && event.acknowledgedAt === null && (
          <Button
            size="small"
            disabled={!may || acknowledge.isPending}
            onClick={() => acknowledge.mutate({ params: { event: event.id }, body: {} })}
          >
            Acknowledge
          </Button>
        )}
        {open && (
          <Button
            size="small"
            disabled={!may || close.isPending}
            onClick={() => close.mutate({ params: { event: event.id }, body: {} })}
          >
            Close
          </Button>
        )}
      </Box>
    </Box>
  );
}
