import { Box, Button, MenuItem, TextField } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { counted } from '@peatmoor/core';
import type { Device, Kind } from '@peatmoor/contract';
import { api, queryClient } from '../api';
import { useAsk } from '../parts/Ask';
import { Notice } from '../parts/Notice';
import { ink } from '../theme';

/** What can be done with several devices at once: labelled, moved to another kind, deleted. */
export function SeveralDevices({
  devices,
  kinds,
  onDone,
}: {
  devices: Device[];
  kinds: readonly Kind[];
  onDone: () => void;
}): ReactNode {
  const [label, setLabel] = useState('');
  const [busy, setBusy] = useState(false);
  const [failed, setFailed] = useState<Error | null>(null);
  const ask = useAsk();
  const word = label.trim().toLowerCase();
  /** One after the other; what fails stops there, and what was done stays done. */
  const each = async (act: (device: Device) => Promise<unknown>): Promise<void> => {
    setBusy(true);
    setFailed(null);
    try {
      for (const device of devices) await act(device);
      onDone();
    } catch (error) {
      setFailed(error as Error);
    } finally {
      setBusy(false);
      for (const name of ['listDevices', 'listKinds', 'overview'])
        void queryClient.invalidateQueries({ queryKey: [name] });
    }
  };
  const change = (labels: (device: Device) => string[]) =>
    each((device) =>
      api.call('changeDevice', {
        params: { device: device.id },
        body: { labels: labels(device) },
        ifVersion: device.version,
      }),
    );
  const move = async (kind: Kind): Promise<void> => {
    const ids = devices.map(({ id }) => id);
    const params = { kind: kind.id };
    setFailed(null);
    try {
      const { keeps, loses } = await api.call('moveDevices', { params, body: { devices: ids, try: true } });
      const lost = loses.map(
        ({ device, stream, readings }) => `${counted(readings, 'reading')} of ${stream} on ${device}`,
      );
      const yes = await ask({
        title: `Move ${counted(devices.length, 'device')} to ${kind.title}?`,
        text: `${keeps.length > 0 ? `History goes along for ${keeps.join(', ')}. ` : ''}${lost.length > 0 ? `Would be deleted: ${lost.join('; ')}.` : 'No reading would be lost.'}`,
        action: 'Move them',
      });
      if (yes) await each(() => api.call('moveDevices', { params, body: { devices: ids } }));
    } catch (error) {
      setFailed(error as Error);
    }
  };
  return (
    <Box
      data-several
      sx={{
        position: 'sticky',
        top: 50,
        zIndex: 10,
        bgcolor: ink.paper,
        borderBottom: `1px solid ${ink.ink}`,
        py: 1,
        display: 'flex',
        flexWrap: 'wrap',
        gap: 2,
        alignItems: 'flex-end',
      }}
    >
      <Box sx={{ fontWeight: 650, alignSelf: 'center' }}>{counted(devices.length, 'device')} chosen</Box>
      <TextField
        label="Label"
        value={label}
        onChange={({ target }) => setLabel(target.value)}
        sx={{ width: 140 }}
      />
      <Button
        disabled={word === '' || busy}
        onClick={() => void change(({ labels }) => [...new Set([...labels, word])])}
      >
        Put it on
      </Button>
      <Button
        disabled={word === '' || busy}
        onClick={() => void change(({ labels }) => labels.filter((one) => one !== word))}
      >
        Take it off
      </Button>
      <TextField
        select
        label="Move to the kind"
        value=""
        disabled={busy}
        onChange={({ target }) => {
          const kind = kinds.find(({ id }) => id === Number(target.value));
          if (kind !== undefined) void move(kind);
        }}
        sx={{ width: 180 }}
      >
        {kinds.map(({ id, title }) => (
          <MenuItem key={id} value={id}>
            {title}
          </MenuItem>
        ))}
      </TextField>
      <Button
        disabled={busy}
        onClick={() =>
          void ask({
            title: `Delete ${counted(devices.length, 'device')}?`,
            text: `With all their readings; this cannot be undone: ${devices.map(({ name }) => name).join(', ')}.`,
            action: 'Delete them',
          }).then((yes) =>
            yes ? each((device) => api.call('deleteDevice', { params: { device: device.id } })) : undefined,
          )
        }
      >
        Delete
      </Button>
      <Button variant="text" onClick={onDone}>
        Choose none
      </Button>
      <Notice error={failed} />
    </Box>
  );
}
