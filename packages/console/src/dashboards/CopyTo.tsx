import { Box, Button, MenuItem, TextField } from '@mui/material';
import { useState, type ReactNode } from 'react';
import type { Widget } from '@peatmoor/core';
import { useRead } from '../api';
import { Notice } from '../parts/Notice';
import { addToDashboard } from './addTo';

/** Puts a copy of a widget on another dashboard. */
export function CopyTo({ widget, from }: { widget: Widget; from: number }): ReactNode {
  const dashboards = useRead('listDashboards').data?.filter(({ id }) => id !== from) ?? [];
  const [to, setTo] = useState('');
  const [state, setState] = useState<{ done?: string; error?: Error; busy?: boolean }>({});
  if (dashboards.length === 0) return null;
  const copy = async (): Promise<void> => {
    setState({ busy: true });
    setState({ done: await addToDashboard(Number(to), [widget]) });
  };
  return (
    <Box>
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'flex-end' }}>
        <TextField
          select
          label="Copy it to another dashboard"
          value={to}
          onChange={({ target }) => {
            setTo(target.value);
            setState({});
          }}
        >
          {dashboards.map(({ id, title }) => (
            <MenuItem key={id} value={String(id)}>
              {title}
            </MenuItem>
          ))}
        </TextField>
        <Button
          disabled={to === '' || state.busy}
          onClick={() => void copy().catch((error: Error) => setState({ error }))}
        >
          Copy it
        </Button>
      </Box>
      {state.done !== undefined && <Notice tone="good">A copy is on “{state.done}”.</Notice>}
      <Notice error={state.error ?? null} />
    </Box>
  );
}
