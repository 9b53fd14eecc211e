import { Box, Button, MenuItem, TextField } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { exampleValue, isReportable, showUnit } from '@peatmoor/core';
import type { Kind } from '@peatmoor/contract';
import { useChange } from '../api';
import { Notice } from '../parts/Notice';

/** Sends one reading as the device would, and says what became of it. */
export function ReportByHand({ device, kind }: { device: string; kind: Kind }): ReactNode {
  const streams = kind.streams.filter((stream) => isReportable(stream) && stream.type !== 'image');
  const send = useChange('reportByHand', ['listArrivals', 'readDevice']);
  const [key, setKey] = useState('');
  const [value, setValue] = useState('');
  const stream = streams.find((one) => one.key === key) ?? streams[0];
  if (stream === undefined) return null;
  const refused = send.data?.refused[0];
  return (
    <Box
      component="form"
      onSubmit={(event) => {
        event.preventDefault();
        send.mutate({ params: { device }, body: { values: { [stream.key]: value } } });
      }}
      sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'flex-end', mt: 2 }}
    >
      <TextField
        select
        label="Send a reading by hand"
        value={stream.key}
        onChange={({ target }) => setKey(target.value)}
        sx={{ width: 220 }}
      >
        {streams.map((one) => (
          <MenuItem key={one.key} value={one.key}>
            {one.title}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        label={`Value${stream.unit ? `, in ${showUnit(stream.unit)}` : ''}`}
        placeholder={exampleValue(stream)}
        value={value}
        onChange={({ target }) => setValue(target.value)}
        sx={{ width: 160 }}
        autoComplete="off"
      />
      <Button type="submit" disabled={value.trim() === '' || send.isPending}>
        Send
      </Button>
      <Notice error={send.error} />
      {refused && (
        <Notice>
          {refused.reason}: {refused.hint}
        </Notice>
      )}
      {send.data && !refused && <Notice tone="good">It is taken.</Notice>}
    </Box>
  );
}
