import { Box, Button, MenuItem, TextField } from '@mui/material';
import type { ReactNode } from 'react';
import { streamsOf, type ActionFields, type Catalogue } from './fields';

/** What is wanted of controls when the event opens, and when it closes. */
export function Actions({
  actions,
  whom,
  catalogue,
  onChange,
}: {
  actions: ActionFields[];
  whom: string;
  catalogue: Catalogue;
  onChange: (actions: ActionFields[]) => void;
}): ReactNode {
  const controls = (device: string) =>
    streamsOf(whom, device, catalogue).filter(({ direction }) => direction !== 'report');
  const change = (i: number, part: Partial<ActionFields>): void =>
    onChange(actions.map((one, at) => (at === i ? { ...one, ...part } : one)));
  const target = catalogue.devices.find(({ id }) => controls(id).length > 0);
  return (
    <Box sx={{ display: 'grid', gap: 2 }}>
      {actions.map((action, i) => (
        <Box
          key={i}
          role="group"
          aria-label="Action"
          sx={{ display: 'grid', gap: 2, gridTemplateColumns: { xs: '1fr 1fr', sm: '1fr 1fr 1fr 1fr auto' } }}
        >
          <TextField
            select
            label="When it"
            value={action.on}
            onChange={({ target: { value } }) => change(i, { on: value as 'opened' })}
          >
            <MenuItem value="opened">opens</MenuItem>
            <MenuItem value="closed">closes</MenuItem>
          </TextField>
          <TextField
            select
            label="Of"
            value={action.device}
            onChange={({ target: { value } }) => change(i, { device: value, stream: '' })}
            slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
          >
            {controls('').length > 0 && <MenuItem value="">the same device</MenuItem>}
            {catalogue.devices
              .filter(({ id }) => controls(id).length > 0)
              .map(({ id, name }) => (
                <MenuItem key={id} value={id}>
                  {name}
                </MenuItem>
              ))}
          </TextField>
          <TextField
            select
            label="Control"
            value={action.stream}
            onChange={({ target: { value } }) => change(i, { stream: value })}
          >
            {controls(action.device).map(({ key, title }) => (
              <MenuItem key={key} value={key}>
                {title}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            label="Wanted value"
            value={action.value}
            onChange={({ target: { value } }) => change(i, { value })}
          />
          <Button variant="text" onClick={() => onChange(actions.filter((_one, at) => at !== i))}>
            Take out
          </Button>
        </Box>
      ))}
      <Box>
        <Button
          disabled={target === undefined && controls('').length === 0}
          onClick={() => {
            const own = controls('')[0];
            const device = own === undefined ? (target?.id ?? '') : '';
            onChange([
              ...actions,
              { on: 'opened', device, stream: own?.key ?? controls(device)[0]?.key ?? '', value: '' },
            ]);
          }}
        >
          Steer something
        </Button>
      </Box>
    </Box>
  );
}
