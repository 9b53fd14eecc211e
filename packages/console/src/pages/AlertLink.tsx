import { Box, Button, Typography } from '@mui/material';
import { type ReactNode } from 'react';
import { useParams } from 'react-router';
import { showDuration } from '@peatmoor/core';
import { under } from '../base';
import { useChange, useRead } from '../api';
import { Heading } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { showClock } from '../parts/time';

/** What a link in an alert leads to: nothing happens before somebody presses. */
export function AlertLink(): ReactNode {
  const { link = location.pathname.split('/').at(-1)! } = useParams();
  const input = { params: { link } };
  const read = useRead('readAlertLink', input);
  const use = useChange('useAlertLink', ['readAlertLink']);
  const shown = use.data ?? read.data;
  const now = Date.now();
  const words =
    shown === undefined
      ? null
      : {
          event: {
            title: shown.title,
            text:
              shown.closedAt !== null
                ? `It is over: it closed ${showClock(shown.closedAt, now)}.`
                : shown.acknowledgedBy !== ''
                  ? `Acknowledged by ${shown.acknowledgedBy}.`
                  : `Open for ${showDuration(Math.max(1000, now - (shown.openedAt ?? now)))}. Sent to ${shown.to}.`,
            press: 'Acknowledge',
          },
          address: {
            title: shown.title,
            text: shown.done
              ? `Alerts may come to ${shown.to} now.`
              : `May alerts of ${shown.title} come to ${shown.to}?`,
            press: 'Yes, they may come',
          },
          stop: {
            title: shown.title,
            text: shown.done
              ? `No more alerts of this rule come to ${shown.to}.`
              : `Shall no more alerts of this rule come to ${shown.to}?`,
            press: 'No more of these',
          },
        }[shown.what];
  return (
    <Box component="main" sx={{ maxWidth: 560, mx: 'auto', p: 3, pt: 6 }}>
      {words === null ? (
        <Heading title={read.error === null ? 'Looking …' : 'This link does nothing'} />
      ) : (
        <>
          <Heading title={words.title} />
          <Typography role="status" sx={{ mb: 3, fontSize: '1.1rem' }}>
            {words.text}
          </Typography>
          {!shown!.done && (
            <Button
              variant="contained"
              size="large"
              disabled={use.isPending}
              onClick={() => use.mutate(input)}
            >
              {words.press}
            </Button>
          )}
          {shown!.eventId !== null && (
            <Button size="large" href={under(`/events/${shown!.eventId}`)} sx={{ ml: shown!.done ? 0 : 2 }}>
              See the event
            </Button>
          )}
        </>
      )}
      <Notice error={use.error ?? read.error} />
    </Box>
  );
}
