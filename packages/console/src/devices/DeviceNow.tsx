import { Box, Button, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { isNumeric, isScalar, showDuration, showValue } from '@peatmoor/core';
import type { Device, Kind } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { boundsOf, DAY_PERIOD } from '../charts/period';
import { useHistory } from '../charts/useHistory';
import { useNewest, useNow } from '../live';
import { DayLine } from '../overview/DayLine';
import { AlignedFigure } from '../parts/Figure';
import { Section } from '../parts/Heading';
import { useEvents } from '../events/useEvents';
import { EventFlag } from '../parts/marks';
import { Notice } from '../parts/Notice';
import { NoteDialog } from '../parts/NoteDialog';
import { Picture } from '../parts/Picture';
import { showClock } from '../parts/time';
import { useMay } from '../parts/useMay';
import { ink, MONO } from '../theme';
import { Controls } from './Controls';
import { TouchSensor } from './TouchSensor';

/** A device as it is now: its newest values with the last day of each, its controls, its events and notes. */
export function DeviceNow({ device, kind }: { device: Device; kind: Kind }): ReactNode {
  const mayLook = useMay('look');
  const controls = kind.streams.some(({ direction }) => direction !== 'report');
  return (
    <>
      <NewestValues device={device.id} kind={kind} />
      {controls && (
        <Section title="Controls" note="What is wanted, and whether the board applied it.">
          <Controls device={device} kind={kind} />
        </Section>
      )}
      {mayLook && (
        <Box sx={{ display: 'grid', columnGap: 5, gridTemplateColumns: { md: '1fr 1fr' } }}>
          <ItsEvents device={device} />
          <ItsNotes key={device.id} device={device} />
        </Box>
      )}
    </>
  );
}

function NewestValues({ device, kind }: { device: string; kind: Kind }): ReactNode {
  const streams = kind.streams.filter(({ direction }) => direction !== 'control');
  const lines = useHistory(
    streams.filter(isNumeric).map(({ key }) => ({ device, stream: key })),
    DAY_PERIOD,
  );
  const now = useNow(60_000);
  const { from, to } = boundsOf(DAY_PERIOD, now);
  return (
    <Section title="Newest readings" note="With the last 24 hours of each.">
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: { xs: '1fr', md: 'repeat(2, 1fr)' },
          columnGap: 5,
        }}
      >
        {streams.map((stream) => (
          <NewestValue
            key={stream.key}
            device={device}
            stream={stream}
            line={
              isNumeric(stream) ? (
                <DayLine
                  line={lines.find((one) => one?.key === stream.key)}
                  from={from}
                  to={to}
                  label={`${stream.title}, the last 24 hours`}
                />
              ) : null
            }
          />
        ))}
      </Box>
      <TouchSensor device={device} kind={kind} />
    </Section>
  );
}

function NewestValue({
  device,
  stream,
  line,
}: {
  device: string;
  stream: Kind['streams'][number];
  line: ReactNode;
}): ReactNode {
  const newest = useNewest(device, stream.key);
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns: line === null ? '1fr auto' : '1fr auto minmax(90px, 38%)',
        alignItems: 'center',
        gap: 2,
        py: 0.5,
        minHeight: 48,
        borderBottom: `1px solid ${ink.faint}`,
      }}
    >
      <span>{stream.title}</span>
      {stream.type === 'image' && newest !== undefined ? (
        <Box sx={{ width: 180, maxHeight: 140 }}>
          <Picture device={device} stream={stream} at={newest.at} />
        </Box>
      ) : isScalar(stream) && typeof newest?.value !== 'object' ? (
        <AlignedFigure stream={stream} value={newest?.value as number | undefined} />
      ) : (
        <span style={{ fontFamily: MONO, overflowWrap: 'anywhere' }}>
          {newest === undefined ? '–' : showValue(stream, newest.value)}
        </span>
      )}
      {line}
    </Box>
  );
}

/** Events of the device that are shown here beside what is open; the others are on their page. */
const MOST_EVENTS = 6;

function ItsEvents({ device }: { device: Device }): ReactNode {
  const { events } = useEvents({ device: device.id, limit: MOST_EVENTS }, useMay('look'));
  const now = useNow(10_000);
  return (
    <Section
      title="Its events"
      note={
        <>
          <Link to={`/events/rules/new?device=${device.id}`}>Alert me when …</Link>{' '}
          <Link to={`/events?device=${device.id}`}>All its events</Link>
        </>
      }
    >
      {events?.map(({ id, title, severity, openedAt, closedAt, acknowledgedAt }) => (
        <Box
          key={id}
          sx={{
            display: 'flex',
            gap: 1,
            alignItems: 'baseline',
            py: 0.75,
            borderTop: `1px solid ${ink.faint}`,
          }}
        >
          <EventFlag
            open={closedAt === null}
            acknowledged={acknowledgedAt !== null}
            urgent={severity === 'urgent'}
          />
          <Box sx={{ flex: 1, fontWeight: closedAt === null ? 650 : 400 }}>
            <Link to={`/events/${id}`}>{title}</Link>
          </Box>
          <Box sx={{ color: ink.soft }}>
            {showClock(openedAt, now)}, {showDuration((closedAt ?? now) - openedAt)}
          </Box>
        </Box>
      ))}
      {events?.length === 0 && <Typography color="textSecondary">Nothing has happened to it.</Typography>}
    </Section>
  );
}

/** Notes that are shown at first, and at the most. */
const SOME_NOTES = 8;
const MOST_NOTES = 500;

function ItsNotes({ device }: { device: Device }): ReactNode {
  const [most, setMost] = useState(SOME_NOTES);
  const notes = useRead(
    'listNotes',
    { params: { device: device.id }, query: { limit: most } },
    useMay('look'),
    undefined,
    most > SOME_NOTES,
  ).data;
  const remove = useChange('deleteNote', ['listNotes']);
  const may = useMay('steer');
  const [writing, setWriting] = useState(false);
  return (
    <Section title="Notes" note="On every chart of the device, at their time.">
      {notes?.map(({ id, at, text, by }) => (
        <Box
          key={id}
          sx={{
            display: 'flex',
            gap: 2,
            alignItems: 'baseline',
            py: 0.75,
            borderTop: `1px solid ${ink.faint}`,
          }}
        >
          <Box sx={{ color: ink.heather, whiteSpace: 'nowrap' }}>{showClock(at, Date.now())}</Box>
          <Box sx={{ flex: 1, overflowWrap: 'anywhere' }}>
            {text} <span style={{ color: ink.soft }}>{by}</span>
          </Box>
          {may && (
            <Button
              variant="text"
              size="small"
              aria-label={`Delete the note “${text}”`}
              onClick={() => remove.mutate({ params: { note: id } })}
            >
              Delete
            </Button>
          )}
        </Box>
      ))}
      <Notice error={remove.error} />
      {notes !== undefined && notes.length >= most && most < MOST_NOTES && (
        <Button sx={{ mt: 1, mr: 1 }} onClick={() => setMost(MOST_NOTES)}>
          Show older ones
        </Button>
      )}
      {notes?.length === 0 && (
        <Typography color="textSecondary">
          None yet: sensor cleaned, battery changed, moved to the other bank …
        </Typography>
      )}
      {may && (
        <Button sx={{ mt: 1 }} onClick={() => setWriting(true)}>
          Write a note
        </Button>
      )}
      {writing && <NoteDialog device={device} at={null} onClose={() => setWriting(false)} />}
    </Section>
  );
}
