import { Box, Button } from '@mui/material';
import { Suspense, useState, type ReactNode } from 'react';
import { setTimeWords } from '@peatmoor/core';
import { useRead } from '../../api';
import { showClock } from '../../parts/time';
import { useMay } from '../../parts/useMay';
import { later } from '../../parts/later';
import { ink } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';
import { SampleNote } from './Sampled';

const Timetables = later(() => import('../../timetables/Timetables'), 'Timetables');

/** The set times of a control, and what comes next. */
function TimetableBody({ sources: [{ device, stream }], editing }: WidgetProps): ReactNode {
  const all = useRead(
    'listTimetables',
    { query: device === null ? {} : { device: device.id } },
    device !== null,
  ).data;
  const mayChange = useMay('change');
  const [open, setOpen] = useState(false);
  if (device === null) return <SampleNote>the set times of the chosen device</SampleNote>;
  const own = (all ?? []).filter((one) => one.stream === stream.key);
  return (
    <Box sx={{ height: '100%', overflow: 'auto', fontSize: '0.95rem' }}>
      {own.map(({ id, title, times, next, active, note }) => (
        <Box key={id} sx={{ borderTop: `1px solid ${ink.faint}`, py: 0.5 }}>
          {own.length > 1 && <b>{title} </b>}
          {active ? (
            next === null ? (
              'nothing is due within a year'
            ) : (
              <>
                next <b>{next.value}</b> at {showClock(next.at, Date.now())}
              </>
            )
          ) : (
            'switched off'
          )}
          <Box sx={{ color: ink.soft, fontSize: '0.85rem' }}>{times.map(setTimeWords).join(' · ')}</Box>
          {note && <Box sx={{ color: ink.rowan, fontSize: '0.85rem' }}>{note}</Box>}
        </Box>
      ))}
      {all !== undefined && own.length === 0 && <Box sx={{ color: ink.soft }}>No set times yet.</Box>}
      {mayChange && !editing && (
        <Button variant="text" size="small" onClick={() => setOpen(true)} sx={{ p: 0, minHeight: 28 }}>
          {own.length === 0 ? 'Set times' : 'Change the times'}
        </Button>
      )}
      {open && (
        <Suspense>
          <Timetables device={device} stream={stream} onClose={() => setOpen(false)} />
        </Suspense>
      )}
    </Box>
  );
}

export const timetable: DrawnWidget = { Body: TimetableBody, phoneHeight: 190 };
