import { Box, Checkbox, FormControlLabel, MenuItem, TextField } from '@mui/material';
import type { ReactNode } from 'react';
import { BOARDS, type Board, type Kind, type KindChange } from '@peatmoor/contract';
import { ICONS, type Icon } from '@peatmoor/core';
import { useChange } from '../api';
import { KindMark } from '../parts/KindMark';
import { Notice } from '../parts/Notice';
import { troubleOf } from '../parts/problems';

const BOARD_WORDS: Record<Board, string> = {
  '': 'not said',
  'wifi-cpp': 'Wi-Fi board, Arduino core',
  'cellular-cpp': 'cellular board, Arduino core',
  micropython: 'board with MicroPython',
  'small-computer': 'small computer',
  other: 'another',
};

/** What a kind is, kept when a field is left. */
export function KindFields({ kind }: { kind: Kind }): ReactNode {
  const change = useChange('changeKind', ['readKind', 'listKinds', 'listDevices']);
  const trouble = troubleOf(change.error);
  const keep = (body: KindChange): void => change.mutate({ params: { kind: kind.id }, body });
  return (
    <Box sx={{ display: 'grid', gap: 3, gridTemplateColumns: { sm: '1fr 1fr' }, maxWidth: 720 }}>
      <TextField
        label="Title"
        {...trouble('title')}
        defaultValue={kind.title}
        onBlur={({ target }) => target.value.trim() !== kind.title && keep({ title: target.value })}
      />
      <TextField
        label="Report interval (seconds)"
        type="number"
        defaultValue={kind.intervalS}
        onBlur={({ target }) =>
          Number(target.value) !== kind.intervalS && keep({ intervalS: Number(target.value) })
        }
        helperText="Boards that run a starter obey it at once."
        {...trouble('intervalS')}
      />
      <TextField
        select
        label="Board"
        value={kind.board}
        onChange={({ target }) => keep({ board: target.value as Board })}
        slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        helperText="Chooses the starter program that is offered first."
      >
        {BOARDS.map((one) => (
          <MenuItem key={one} value={one}>
            {BOARD_WORDS[one]}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        select
        label="Drawing"
        value={kind.icon}
        onChange={({ target }) => keep({ icon: target.value as Icon })}
        slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
      >
        {ICONS.map((one) => (
          <MenuItem key={one} value={one}>
            <KindMark icon={one} />{' '}
            <Box component="span" sx={{ ml: one === '' ? 0 : 1 }}>
              {one || 'none'}
            </Box>
          </MenuItem>
        ))}
      </TextField>
      <TextField
        label="Notes"
        multiline
        defaultValue={kind.notes}
        onBlur={({ target }) => target.value !== kind.notes && keep({ notes: target.value })}
      />
      <FormControlLabel
        control={<Checkbox checked={kind.acceptNew} onChange={(_event, on) => keep({ acceptNew: on })} />}
        label="A new name that arrives becomes a datastream"
      />
      <Box sx={{ gridColumn: '1 / -1' }}>
        <Notice error={change.error} beside={['title', 'intervalS']} />
      </Box>
    </Box>
  );
}
