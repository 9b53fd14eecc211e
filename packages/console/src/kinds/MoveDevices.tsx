import { counted } from '@peatmoor/core';
import { Box, Button, Checkbox, FormControlLabel } from '@mui/material';
import { useState, type ReactNode } from 'react';
import type { Kind } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { Notice } from '../parts/Notice';

/** Moves devices of other kinds to this one; which history goes along, and which would be lost, is said first. */
export function MoveDevices({ kind }: { kind: Kind }): ReactNode {
  const devices = (useRead('listDevices').data ?? []).filter(({ kindId }) => kindId !== kind.id);
  const [open, setOpen] = useState(false);
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const look = useChange('moveDevices');
  const move = useChange('moveDevices', ['listDevices', 'listKinds', 'readKind', 'overview']);
  const params = { kind: kind.id };
  const toggle = (id: string): void => {
    look.reset();
    setChosen((before) =>
      before.has(id) ? new Set([...before].filter((one) => one !== id)) : new Set([...before, id]),
    );
  };
  if (devices.length === 0) return null;
  if (!open)
    return (
      <Button sx={{ mt: 1 }} onClick={() => setOpen(true)}>
        Move devices here
      </Button>
    );
  const told = look.data;
  return (
    <Box data-moving sx={{ mt: 1 }}>
      {devices.map(({ id, name, kindTitle }) => (
        <FormControlLabel
          key={id}
          sx={{ display: 'block' }}
          control={<Checkbox size="small" checked={chosen.has(id)} onChange={() => toggle(id)} />}
          label={`${name}, now a ${kindTitle}`}
        />
      ))}
      <Box sx={{ display: 'flex', gap: 1, mt: 1 }}>
        <Button
          disabled={chosen.size === 0 || look.isPending}
          onClick={() => look.mutate({ params, body: { devices: [...chosen], try: true } })}
        >
          Say what would happen
        </Button>
        <Button variant="text" onClick={() => (setOpen(false), setChosen(new Set()), look.reset())}>
          Not now
        </Button>
      </Box>
      <Notice error={look.error ?? move.error} />
      {told && (
        <Notice
          tone={told.loses.length > 0 ? 'problem' : 'plain'}
          action={{
            label: told.moved === 1 ? 'Move it' : `Move all ${told.moved}`,
            onClick: () =>
              move.mutate(
                { params, body: { devices: [...chosen] } },
                { onSuccess: () => (setOpen(false), setChosen(new Set()), look.reset()) },
              ),
          }}
        >
          {told.keeps.length > 0
            ? `History goes along for ${told.keeps.join(', ')}. `
            : 'No datastream of the two kinds is the same. '}
          {told.loses.length === 0
            ? 'No reading would be lost.'
            : `Would be deleted: ${told.loses.map(({ device, stream, readings }) => `${counted(readings, 'reading')} of ${stream} on ${device}`).join('; ')}.`}
        </Notice>
      )}
    </Box>
  );
}
