import { Box, Button, MenuItem, TextField } from '@mui/material';
import type { Datastream } from '@peatmoor/core';
import type { ReactNode } from 'react';
import { streamsOf, type ActionFields, type Catalogue } from './fields';

const PLACES = [1, 2, 3, 4, 5, 6, 7, 8, 9];

/** What is wanted: chosen where the control knows its values, else written. */
function WantedValue({
  label,
  stream,
  value,
  onChange,
}: {
  label: string;
  stream: Datastream | undefined;
  value: string;
  onChange: (value: string) => void;
}): ReactNode {
  const known =
    stream?.type === 'boolean' ? ['on', 'off'] : stream?.type === 'choice' ? stream.choices : undefined;
  if (known === undefined || (value !== '' && !known.includes(value)))
    return (
      <TextField label={label} value={value} onChange={({ target: { value: next } }) => onChange(next)} />
    );
  return (
    <TextField select label={label} value={value} onChange={({ target: { value: next } }) => onChange(next)}>
      {known.map((one) => (
        <MenuItem key={one} value={one}>
          {one}
        </MenuItem>
      ))}
    </TextField>
  );
}

/** What is wanted of controls when the event opens, when it closes, and as long as it is open. */
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
          sx={{
            display: 'grid',
            gap: 2,
            gridTemplateColumns: {
              xs: '1fr 1fr',
              sm: action.on === 'while' ? 'repeat(5, 1fr) auto' : 'repeat(4, 1fr) auto',
            },
          }}
        >
          <TextField
            select
            label="When it"
            value={action.on}
            onChange={({ target: { value } }) => change(i, { on: value as ActionFields['on'] })}
          >
            <MenuItem value="opened">opens</MenuItem>
            <MenuItem value="closed">closes</MenuItem>
            <MenuItem value="while">is open: hold</MenuItem>
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
          <WantedValue
            label={action.on === 'while' ? 'Held at' : 'Wanted value'}
            stream={controls(action.device).find(({ key }) => key === action.stream)}
            value={action.value}
            onChange={(value) => change(i, { value })}
          />
          {action.on === 'while' && (
            <TextField
              select
              label="Place in the order"
              value={action.rank ?? 1}
              onChange={({ target: { value } }) => change(i, { rank: Number(value) })}
            >
              {PLACES.map((place) => (
                <MenuItem key={place} value={place}>
                  {place === 1 ? '1, goes first' : place}
                </MenuItem>
              ))}
            </TextField>
          )}
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
