import { counted } from '@peatmoor/core';
import { Box, Button, MenuItem, TextField } from '@mui/material';
import { useState, type ReactNode } from 'react';
import type { Kind } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { Notice } from '../parts/Notice';
import { fromLocal } from '../parts/localTime';
import { dates } from '../parts/time';
import { ink } from '../theme';

/** Deletes readings of a period, or all of a datastream: counted first, and noted who did it. */
export function Correct({ device, kind }: { device: string; kind: Kind }): ReactNode {
  const records = useRead('listCorrections', { params: { device } }).data ?? [];
  const count = useChange('deleteReadings');
  const remove = useChange('deleteReadings', ['listCorrections', 'readDevice', 'history', 'overview']);
  const [stream, setStream] = useState(kind.streams[0]?.key ?? '');
  const [from, setFrom] = useState('');
  const [to, setTo] = useState('');
  const body = { stream, from: fromLocal(from), to: fromLocal(to) };
  const forget = (): void => (count.reset(), remove.reset());
  const field = (label: string, value: string, onChange: (value: string) => void) => (
    <TextField
      label={label}
      type="datetime-local"
      value={value}
      onChange={({ target }) => (onChange(target.value), forget())}
      sx={{ width: 215 }}
      slotProps={{ inputLabel: { shrink: true }, htmlInput: { step: 1 } }}
    />
  );
  return (
    <>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'flex-end' }}>
        <TextField
          select
          label="Readings of"
          value={stream}
          onChange={({ target }) => (setStream(target.value), forget())}
          sx={{ width: 200 }}
        >
          {kind.streams.map(({ key, title }) => (
            <MenuItem key={key} value={key}>
              {title}
            </MenuItem>
          ))}
        </TextField>
        {field('from (empty: the first)', from, setFrom)}
        {field('up to (empty: the newest)', to, setTo)}
        <Button
          disabled={stream === ''}
          onClick={() => count.mutate({ params: { device }, body: { ...body, try: true } })}
        >
          Count them
        </Button>
      </Box>
      <Notice error={count.error ?? remove.error} />
      {count.data && !remove.data && (
        <Notice
          {...(count.data.count > 0 && {
            action: {
              label: `Delete ${counted(count.data.count, 'reading')}`,
              onClick: () => remove.mutate({ params: { device }, body }),
            },
          })}
        >
          {count.data.count === 0 ? 'There are no readings in this period.' : 'This cannot be undone.'}
        </Notice>
      )}
      {remove.data && (
        <Notice tone="good">{counted(remove.data.count, 'reading is', 'readings are')} deleted.</Notice>
      )}
      {records.slice(0, 10).map((one) => (
        <Box key={one.id} sx={{ borderTop: `1px solid ${ink.faint}`, py: 0.5, color: ink.soft }}>
          {dates().exact(one.at)}: {one.by} deleted {one.count} of {one.stream}
          {one.from !== null && `, from ${dates().exact(one.from)}`}
          {one.to !== null && `, up to ${dates().exact(one.to)}`}
        </Box>
      ))}
    </>
  );
}
