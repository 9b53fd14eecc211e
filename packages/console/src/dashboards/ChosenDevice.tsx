import { Box, Button, MenuItem, TextField } from '@mui/material';
import type { ReactNode } from 'react';
import { MOST_BESIDE, type Chosen } from './useChosen';

/** Chooses the device that a dashboard shows, the one before and the next; or several, side by side. */
export function ChosenDevice({ chosen: { among, devices, choose } }: { chosen: Chosen }): ReactNode {
  const ids = devices.map(({ id }) => id);
  const place = among.findIndex(({ id }) => id === ids[0]);
  const step = (by: number): void => choose([among[(place + by + among.length) % among.length]!.id]);
  const others = among.filter(({ id }) => !ids.includes(id));
  return (
    <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1.5, alignItems: 'flex-end', mb: 3 }}>
      {devices.map(({ id }, i) => (
        <TextField
          key={i}
          select
          label={i === 0 ? 'Chosen device' : 'and'}
          value={id}
          onChange={({ target }) =>
            choose(
              target.value === ''
                ? ids.filter((_, n) => n !== i)
                : ids.map((one, n) => (n === i ? target.value : one)),
            )
          }
          sx={{ width: 220 }}
        >
          {i > 0 && <MenuItem value="">no other</MenuItem>}
          {among
            .filter((one) => one.id === id || !ids.includes(one.id))
            .map((one) => (
              <MenuItem key={one.id} value={one.id}>
                {one.name}
              </MenuItem>
            ))}
        </TextField>
      ))}
      {ids.length === 1 && (
        <>
          <Button onClick={() => step(-1)} aria-label="The device before">
            ‹
          </Button>
          <Button onClick={() => step(1)} aria-label="The next device">
            ›
          </Button>
        </>
      )}
      {others.length > 0 && ids.length < MOST_BESIDE && (
        <Button onClick={() => choose([...ids, others[0]!.id])}>Another beside it</Button>
      )}
    </Box>
  );
}
