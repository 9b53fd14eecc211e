import {
  Box,
  Button,
  Checkbox,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  FormControlLabel,
  MenuItem,
  Switch,
  TextField,
  ToggleButton,
  ToggleButtonGroup,
  Typography,
} from '@mui/material';
import { useState, type ReactNode } from 'react';
import { setTimeWords, TIME_BASES, type Datastream, type SetTime, type TimeBase } from '@peatmoor/core';
import type { Timetable } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { useAsk } from '../parts/Ask';
import { ClockField } from '../parts/ClockField';
import { Notice } from '../parts/Notice';
import { showClock } from '../parts/time';
import { ink } from '../theme';
import { serviceNow } from '../live/clock';

/** A day is chosen or not as a switch is on or off: with the ink filled in, which no two greys tell. */
const CHOSEN_DAY = {
  flex: 1,
  minWidth: 0,
  px: 0,
  minHeight: 44,
  textTransform: 'none',
  color: ink.soft,
  '&.Mui-selected, &.Mui-selected:hover': { bgcolor: ink.ink, color: ink.paper },
};

const EVERY_DAY = [1, 2, 3, 4, 5, 6, 7];
const DAYS = ['Mo', 'Tu', 'We', 'Th', 'Fr', 'Sa', 'Su'];
const BASE_WORDS: Record<TimeBase, string> = {
  clock: 'by the clock',
  sunrise: 'by sunrise',
  sunset: 'by sunset',
};

/** The timetables of one control: made, changed, switched off and deleted. */
export function Timetables({
  device,
  stream,
  onClose,
}: {
  device: { id: string; name: string };
  stream: Datastream;
  onClose: () => void;
}): ReactNode {
  const all = useRead('listTimetables', { query: { device: device.id } });
  const own = (all.data ?? []).filter((one) => one.stream === stream.key);
  const [open, setOpen] = useState<Timetable | 'new' | null>(null);
  const change = useChange('changeTimetable', ['listTimetables']);
  const remove = useChange('deleteTimetable', ['listTimetables']);
  const ask = useAsk();
  const now = serviceNow();
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth aria-labelledby="timetables">
      <DialogTitle id="timetables" sx={{ fontWeight: 700 }}>
        Set times of {stream.title}, {device.name}
      </DialogTitle>
      <DialogContent>
        <Typography color="textSecondary" sx={{ mb: 2 }}>
          The service wants these values at their times, whether a page is open or not.
        </Typography>
        <Notice error={all.error ?? change.error ?? remove.error} />
        {own.map((one) => (
          <Box key={one.id} data-timetable={one.id} sx={{ borderTop: `1px solid ${ink.line}`, py: 1 }}>
            <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1, alignItems: 'center' }}>
              <Box sx={{ fontWeight: 650, flex: '1 1 160px' }}>{one.title}</Box>
              <FormControlLabel
                label={one.active ? 'on' : 'off'}
                control={
                  <Switch
                    checked={one.active}
                    slotProps={{ input: { 'aria-label': `${one.title} is on` } }}
                    onChange={(_event, active) =>
                      change.mutate({
                        params: { timetable: one.id },
                        body: { ...bodyOf(one), active },
                        ifVersion: one.version,
                      })
                    }
                  />
                }
              />
              <Button variant="text" onClick={() => setOpen(one)}>
                Change
              </Button>
              <Button
                variant="text"
                onClick={() =>
                  void ask({
                    title: `Delete “${one.title}”?`,
                    text: 'What it wanted last stays wanted.',
                    action: 'Delete it',
                  }).then((yes) => yes && remove.mutate({ params: { timetable: one.id } }))
                }
              >
                Delete
              </Button>
            </Box>
            {one.times.map((time, i) => (
              <Box key={i} sx={{ color: ink.soft }}>
                {setTimeWords(time)}
              </Box>
            ))}
            {one.next && (
              <Box>
                Next: {one.next.value} at {showClock(one.next.at, now)}
              </Box>
            )}
            {one.note && <Box sx={{ color: ink.rowan }}>{one.note}</Box>}
          </Box>
        ))}
        {open === null && <Button onClick={() => setOpen('new')}>Add set times</Button>}
        {open !== null && (
          <TimetableForm
            key={open === 'new' ? 0 : open.id}
            device={device.id}
            stream={stream}
            before={open === 'new' ? null : open}
            onClose={() => setOpen(null)}
          />
        )}
      </DialogContent>
      <DialogActions sx={{ px: 3, pb: 2 }}>
        <Button onClick={onClose}>Close</Button>
      </DialogActions>
    </Dialog>
  );
}

const bodyOf = ({ title, stream, times, catchUp, active }: Timetable) => ({
  title,
  stream,
  times,
  catchUp,
  active,
});

function TimetableForm({
  device,
  stream,
  before,
  onClose,
}: {
  device: string;
  stream: Datastream;
  before: Timetable | null;
  onClose: () => void;
}): ReactNode {
  const [title, setTitle] = useState(before?.title ?? stream.title);
  const [times, setTimes] = useState<SetTime[]>(
    before?.times ?? [{ days: EVERY_DAY, base: 'clock', minutes: 420, value: firstValue(stream) }],
  );
  const [catchUp, setCatchUp] = useState(before?.catchUp ?? false);
  const create = useChange('createTimetable', ['listTimetables']);
  const change = useChange('changeTimetable', ['listTimetables']);
  const set = (place: number, next: Partial<SetTime>): void =>
    setTimes((list) => list.map((one, i) => (i === place ? { ...one, ...next } : one)));
  const body = { title, stream: stream.key, times, catchUp, active: before?.active ?? true };
  const done = { onSuccess: onClose };
  return (
    <Box
      component="form"
      onSubmit={(event) => {
        event.preventDefault();
        if (before === null) create.mutate({ params: { device }, body }, done);
        else change.mutate({ params: { timetable: before.id }, body, ifVersion: before.version }, done);
      }}
      sx={{ borderTop: `1px solid ${ink.ink}`, pt: 2, display: 'grid', gap: 2 }}
    >
      <TextField label="Name" value={title} onChange={({ target }) => setTitle(target.value.slice(0, 80))} />
      {times.map((time, i) => (
        <Box
          key={i}
          sx={{
            display: 'grid',
            gap: 1.5,
            gridTemplateColumns: { xs: '1fr 1fr', sm: '1fr 1fr 1.2fr auto' },
            alignItems: 'end',
          }}
        >
          <TextField
            select
            label="When"
            value={time.base}
            onChange={({ target }) => {
              const base = target.value as TimeBase;
              set(i, { base, minutes: base === 'clock' ? 420 : 0 });
            }}
          >
            {TIME_BASES.map((one) => (
              <MenuItem key={one} value={one}>
                {BASE_WORDS[one]}
              </MenuItem>
            ))}
          </TextField>
          {time.base === 'clock' ? (
            <ClockField label="At" wide value={time.minutes} onChange={(minutes) => set(i, { minutes })} />
          ) : (
            <TextField
              label="Minutes after it"
              type="number"
              value={time.minutes}
              onChange={({ target }) => set(i, { minutes: Math.round(Number(target.value)) })}
              slotProps={{ htmlInput: { min: -720, max: 720 } }}
            />
          )}
          <ValueField stream={stream} value={time.value} onChange={(value) => set(i, { value })} />
          <Button
            variant="text"
            disabled={times.length === 1}
            onClick={() => setTimes((list) => list.filter((_, n) => n !== i))}
          >
            Remove
          </Button>
          <ToggleButtonGroup
            size="small"
            value={time.days}
            onChange={(_event, days: number[]) => days.length > 0 && set(i, { days })}
            aria-label="Days"
            sx={{ gridColumn: '1 / -1', maxWidth: 320 }}
          >
            {DAYS.map((name, day) => (
              <ToggleButton key={name} value={day + 1} sx={CHOSEN_DAY}>
                {name}
              </ToggleButton>
            ))}
          </ToggleButtonGroup>
        </Box>
      ))}
      <Button
        sx={{ justifySelf: 'start' }}
        disabled={times.length >= 50}
        onClick={() => setTimes((list) => [...list, { ...list.at(-1)!, value: firstValue(stream) }])}
      >
        Another time
      </Button>
      {stream.holds !== 'momentary' && (
        <FormControlLabel
          control={<Checkbox checked={catchUp} onChange={(_event, on) => setCatchUp(on)} />}
          label="After an outage, want the newest missed value all the same"
        />
      )}
      <Notice error={create.error ?? change.error} />
      <Box sx={{ display: 'flex', gap: 1 }}>
        <Button
          type="submit"
          variant="contained"
          color="primary"
          disabled={create.isPending || change.isPending}
        >
          {before === null ? 'Make it' : 'Change it'}
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </Box>
    </Box>
  );
}

function firstValue({ type, choices }: Datastream): string {
  return type === 'boolean' ? 'on' : type === 'choice' ? (choices[0] ?? '') : '';
}

function ValueField({
  stream,
  value,
  onChange,
}: {
  stream: Datastream;
  value: string;
  onChange: (value: string) => void;
}): ReactNode {
  const among = stream.type === 'boolean' ? ['on', 'off'] : stream.type === 'choice' ? stream.choices : null;
  return (
    <TextField
      label="Wanted"
      select={among !== null}
      required
      value={value}
      onChange={({ target }) => onChange(target.value)}
    >
      {among?.map((one) => (
        <MenuItem key={one} value={one}>
          {one}
        </MenuItem>
      ))}
    </TextField>
  );
}
