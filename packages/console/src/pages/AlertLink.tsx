import { Box, Button, TextField, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { useParams } from 'react-router';
import { counted, showDuration } from '@peatmoor/core';
import type { AlertLink as Shown } from '@peatmoor/contract';
import { under } from '../base';
import { useChange, useRead } from '../api';
import { Comments } from '../events/Comments';
import { Heading } from '../parts/Heading';
import { EventFlag } from '../parts/marks';
import { Notice } from '../parts/Notice';
import { showAgo, showClock } from '../parts/time';
import { ink } from '../theme';

/** What a link in an alert leads to: nothing happens before somebody presses. */
export function AlertLink(): ReactNode {
  const { link = location.pathname.split('/').at(-1)! } = useParams();
  const input = { params: { link } };
  const read = useRead('readAlertLink', input);
  const use = useChange('useAlertLink', ['readAlertLink']);
  const [remark, setRemark] = useState('');
  const comment = useChange('commentAlertLink', ['readAlertLink']);
  const shown = read.data;
  const maySay = shown?.what === 'event' || (shown?.what === 'events' && !shown.done);
  const press = async (): Promise<void> => {
    if (maySay && remark.trim() !== '') await comment.mutateAsync({ ...input, body: { text: remark } });
    setRemark('');
    if (shown?.done === false) await use.mutateAsync(input);
  };
  const words = shown === undefined ? null : wordsOf(shown, Date.now());
  return (
    <Box component="main" sx={{ maxWidth: 640, mx: 'auto', p: 3, pt: { xs: 3, sm: 6 } }}>
      {words === null ? (
        <Heading title={read.error === null ? 'Looking …' : 'This link does nothing'} />
      ) : (
        <>
          <Heading title={words.title} />
          <Typography role="status" sx={{ mb: 2, fontSize: '1.1rem' }}>
            {words.text}
          </Typography>
          {shown!.what === 'event' && <About shown={shown!} link={link} />}
          {shown!.what === 'events' && <Together events={shown!.events} />}
          {maySay && (
            <TextField
              label="Comment"
              value={remark}
              placeholder="on my way"
              multiline
              fullWidth
              onChange={({ target }) => setRemark(target.value)}
              slotProps={{ inputLabel: { shrink: true }, htmlInput: { maxLength: 300 } }}
              sx={{ mb: 2 }}
            />
          )}
          <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2 }}>
            {(!shown!.done || remark.trim() !== '') && (
              <Button
                variant="contained"
                size="large"
                disabled={use.isPending || comment.isPending}
                onClick={() => void press().catch(() => undefined)}
              >
                {shown!.done ? 'Say it' : words.press}
              </Button>
            )}
            {shown!.eventId !== null && (
              <Button size="large" href={under(`/events/${shown!.eventId}`)}>
                See the event
              </Button>
            )}
          </Box>
        </>
      )}
      <Notice error={comment.error ?? use.error ?? read.error} />
    </Box>
  );
}

function wordsOf(shown: Shown, now: number): { title: string; text: string; press: string } {
  const { what, title, to, done } = shown;
  switch (what) {
    case 'event':
      return {
        title,
        text:
          shown.closedAt !== null
            ? `It is over: it closed ${showClock(shown.closedAt, now)}.`
            : shown.acknowledgedBy !== ''
              ? `Acknowledged by ${shown.acknowledgedBy}.`
              : `Open for ${showDuration(Math.max(1000, now - (shown.openedAt ?? now)))}. Sent to ${to}.`,
        press: 'Acknowledge',
      };
    case 'events': {
      const left = shown.events.filter((one) => !one.done).length;
      return {
        title,
        text: done
          ? 'Each is acknowledged or over.'
          : `${counted(left, 'of them is', 'of them are')} open and not acknowledged. Sent to ${to}.`,
        press: 'Acknowledge all of these',
      };
    }
    case 'address':
      return {
        title,
        text: done ? `Alerts may come to ${to} now.` : `May alerts of ${title} come to ${to}?`,
        press: 'Yes, they may come',
      };
    case 'stop':
      return {
        title,
        text: done
          ? `No more alerts of this rule come to ${to}.`
          : `Shall no more alerts of this rule come to ${to}?`,
        press: 'No more of these',
      };
  }
}

/** The value as it is now, the readings of the last hours, the rule, and what was said of it. */
function About({ shown, link }: { shown: Shown; link: string }): ReactNode {
  const [drawn, setDrawn] = useState(true);
  return (
    <>
      {shown.value !== '' && (
        <Typography variant="h2" component="p" sx={{ mb: 0.5 }}>
          {shown.value}
          {shown.valueAt !== null && (
            <Box component="span" sx={{ color: ink.soft, fontSize: '0.95rem', fontWeight: 400, ml: 1 }}>
              {showAgo(shown.valueAt, Date.now())}
            </Box>
          )}
        </Typography>
      )}
      {shown.chart && drawn && (
        <Box
          component="img"
          src={under(`/api/alert-links/${link}/chart`)}
          alt="The readings of the last hours"
          onError={() => setDrawn(false)}
          sx={{ width: '100%', height: 'auto', display: 'block', my: 1 }}
        />
      )}
      <Typography sx={{ borderLeft: `3px solid ${ink.heather}`, pl: 2, mb: 2, overflowWrap: 'anywhere' }}>
        {shown.sentence}
      </Typography>
      <Comments comments={shown.comments} />
    </>
  );
}

/** What one message told of. */
function Together({ events }: { events: Shown['events'] }): ReactNode {
  return (
    <Box component="ul" sx={{ listStyle: 'none', p: 0, m: 0, mb: 2 }}>
      {events.map(({ title, severity, value, done }, i) => (
        <Box component="li" key={i} sx={{ borderTop: `1px solid ${ink.faint}`, py: 0.75 }}>
          <EventFlag open={!done} acknowledged={false} urgent={severity === 'urgent'} /> {title}
          {(done || value !== '') && (
            <Box component="span" sx={{ color: ink.soft }}>
              {' '}
              {done ? 'acknowledged or over' : value}
            </Box>
          )}
        </Box>
      ))}
    </Box>
  );
}
