import { Box, Checkbox, FormControlLabel, TextField } from '@mui/material';
import type { ReactNode } from 'react';
import type { Display } from '@peatmoor/core';
import type { Device, Rule } from '@peatmoor/contract';
import { ink } from '../theme';

/** What single devices have of their own in a rule that watches many: another limit, or none of it at all. */
export function OwnLimits({
  own,
  watched,
  display,
  hasLimit,
  onChange,
}: {
  own: Rule['own'];
  watched: readonly Device[];
  display: Display | undefined;
  hasLimit: boolean;
  onChange: (own: Rule['own']) => void;
}): ReactNode {
  const of = (id: string) =>
    own.find(({ deviceId }) => deviceId === id) ?? { deviceId: id, limit: null, leftOut: false };
  const change = (next: Rule['own'][number]): void =>
    onChange([
      ...own.filter(({ deviceId }) => deviceId !== next.deviceId),
      ...(next.limit === null && !next.leftOut ? [] : [next]),
    ]);
  return (
    <Box>
      {watched.map(({ id, name }) => {
        const one = of(id);
        return (
          <Box
            key={id}
            sx={{
              display: 'flex',
              flexWrap: 'wrap',
              gap: 2,
              alignItems: 'center',
              borderTop: `1px solid ${ink.faint}`,
              py: 0.75,
            }}
          >
            <Box sx={{ flex: '1 1 160px' }}>{name}</Box>
            {hasLimit && (
              <TextField
                size="small"
                type="number"
                fullWidth={false}
                sx={{ width: 170 }}
                label={`Own limit${display?.unit ? ` (${display.unit})` : ''}`}
                disabled={one.leftOut}
                value={one.limit === null ? '' : (display?.convert(one.limit) ?? one.limit)}
                onChange={({ target: { value } }) =>
                  change({
                    ...one,
                    limit: value.trim() === '' ? null : (display?.back(Number(value)) ?? Number(value)),
                  })
                }
                slotProps={{
                  htmlInput: { step: 'any', 'aria-label': `Own limit of ${name}` },
                  inputLabel: { shrink: true },
                }}
              />
            )}
            <FormControlLabel
              control={
                <Checkbox checked={one.leftOut} onChange={(_event, leftOut) => change({ ...one, leftOut })} />
              }
              label="left out"
            />
          </Box>
        );
      })}
    </Box>
  );
}
