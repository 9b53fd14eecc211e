import { Box, Button, MenuItem, TextField } from '@mui/material';
import { useState, type ReactNode } from 'react';
import type { Mute } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { Notice } from '../parts/Notice';
import { showClock } from '../parts/time';
import { useMay } from '../parts/useMay';
import { serviceNow } from '../live/clock';

const TIMES: [string, number][] = [
  ['1 h', 3_600_000],
  ['4 h', 14_400_000],
  ['a day', 86_400_000],
  ['a week', 604_800_000],
];

/** Says until when a device, kind, label or rule alerts nobody, and mutes it. */
export function Mutes({ sort, target }: { sort: Mute['sort']; target: string }): ReactNode {
  const mutes = useRead('listMutes');
  const mute = useChange('mute', ['listMutes']);
  const unmute = useChange('unmute', ['listMutes']);
  const may = useMay('steer');
  const [reason, setReason] = useState('');
  const [time, setTime] = useState(TIMES[0]![1]);
  const found = mutes.data?.find((one) => one.sort === sort && one.target === target);
  return (
    <Box>
      <Notice error={mutes.error ?? mute.error ?? unmute.error} />
      {found !== undefined ? (
        <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'center' }}>
          <span>
            Muted until {showClock(found.until, serviceNow())} by {found.madeBy}
            {found.reason && `: ${found.reason}`}
          </span>
          <Button
            size="small"
            disabled={!may || unmute.isPending}
            onClick={() => unmute.mutate({ params: { mute: found.id } })}
          >
            Alert again
          </Button>
        </Box>
      ) : (
        <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'flex-end' }}>
          <TextField
            select
            label="No alerts for"
            value={time}
            onChange={({ target: { value } }) => setTime(Number(value))}
            fullWidth={false}
            sx={{ width: 140 }}
          >
            {TIMES.map(([words, ms]) => (
              <MenuItem key={ms} value={ms}>
                {words}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            label="Because"
            fullWidth={false}
            sx={{ width: 280 }}
            value={reason}
            placeholder="the probe is changed"
            onChange={({ target: { value } }) => setReason(value)}
            slotProps={{ inputLabel: { shrink: true }, htmlInput: { maxLength: 200 } }}
          />
          <Button
            disabled={!may || mute.isPending}
            onClick={() => mute.mutate({ body: { sort, target, until: serviceNow() + time, reason } })}
          >
            Mute it
          </Button>
        </Box>
      )}
    </Box>
  );
}
