import { Box, Button } from '@mui/material';
import { useEffect, useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { useChange, useRead } from '../api';
import { useLive } from '../live';
import { ink } from '../theme';

const MOST = 4;

/** Two tones, three times where it is urgent; needs no file and no internet. */
function sound(urgent: boolean): void {
  try {
    const audio = new AudioContext();
    const times = urgent ? 3 : 1;
    for (let n = 0; n < times; n++)
      for (const [i, hertz] of [660, 880].entries()) {
        const tone = audio.createOscillator();
        const level = audio.createGain();
        const start = audio.currentTime + n * 0.7 + i * 0.22;
        tone.frequency.value = hertz;
        level.gain.setValueAtTime(0.0001, start);
        level.gain.exponentialRampToValueAtTime(0.25, start + 0.02);
        level.gain.exponentialRampToValueAtTime(0.0001, start + 0.2);
        tone.connect(level).connect(audio.destination);
        tone.start(start);
        tone.stop(start + 0.22);
      }
    setTimeout(() => void audio.close(), times * 700 + 500);
  } catch {
    // A page that nobody has touched yet may make no sound: the banner is there.
  }
}

/** Alerts on an open page: a banner and a sound for whoever is signed in. */
export function AlertBanner(): ReactNode {
  const { alerts } = useLive();
  const me = useRead('me').data?.user.id;
  const [away, setAway] = useState(0);
  const acknowledge = useChange('acknowledgeEvent', ['listEvents', 'countEvents']);
  const mine = alerts.filter(({ user, at }) => user === me && at > away);
  const over = new Set(mine.flatMap(({ over: isOver, event }) => (isOver ? [event] : [])));
  const shown = mine.filter((one) => !one.over && !over.has(one.event)).slice(-MOST);
  const newest = mine.at(-1);
  const newestAt = newest?.at ?? 0;
  const loud = newest !== undefined && !newest.over;
  const urgent = newest?.severity === 'urgent';
  useEffect(() => {
    if (newestAt > 0 && loud) sound(urgent);
  }, [newestAt, loud, urgent]);
  if (shown.length === 0) return null;
  return (
    <Box role="alert" sx={{ position: 'sticky', top: { xs: 0, sm: 52 }, zIndex: 15, mb: 2 }}>
      {shown.map(({ at, event, severity, title, text }) => (
        <Box
          key={at}
          data-alert={event ?? 'test'}
          sx={{
            display: 'flex',
            flexWrap: 'wrap',
            gap: 2,
            alignItems: 'center',
            p: 1.5,
            bgcolor: ink.paper,
            border: `2px solid ${severity === 'urgent' ? ink.rowan : ink.ink}`,
            mb: 1,
          }}
        >
          <Box sx={{ flex: '1 1 260px', minWidth: 0, overflowWrap: 'anywhere' }}>
            <Box sx={{ fontWeight: 700 }}>{title}</Box>
            {text}
          </Box>
          {event !== null && (
            <Button
              size="small"
              onClick={() =>
                acknowledge.mutate({ params: { event }, body: {} }, { onSuccess: () => setAway(at) })
              }
            >
              Acknowledge
            </Button>
          )}
          {event !== null && (
            <Button size="small" component={Link} to={`/events/${event}`} onClick={() => setAway(at)}>
              See it
            </Button>
          )}
          <Button size="small" variant="text" onClick={() => setAway(at)}>
            Put away
          </Button>
        </Box>
      ))}
    </Box>
  );
}
