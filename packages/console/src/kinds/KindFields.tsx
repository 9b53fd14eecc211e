import { Box, Checkbox, FormControlLabel, MenuItem, TextField } from '@mui/material';
import type { ReactNode } from 'react';
import { BOARDS, type Board, type Kind, type KindChange } from '@peatmoor/contract';
import { ICONS, type Icon } from '@peatmoor/core';
import { useChange } from '../api';
import { KeptField } from '../parts/KeptField';
import { KindMark } from '../parts/KindMark';
import { Notice } from '../parts/Notice';

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
  const keep = (body: KindChange): Promise<unknown> =>
    change.mutateAsync({ params: { kind: kind.id }, body });
  const choice = useChange('changeKind', ['readKind', 'listKinds', 'listDevices']);
  const choose = (body: KindChange): void => choice.mutate({ params: { kind: kind.id }, body });
  return (
    <Box sx={{ display: 'grid', gap: 3, gridTemplateColumns: { sm: '1fr 1fr' }, maxWidth: 720 }}>
      <KeptField label="Title" name="title" value={kind.title} save={(title) => keep({ title })} />
      <KeptField
        label="Report interval (seconds)"
        type="number"
        name="intervalS"
        value={String(kind.intervalS)}
        save={(text) => keep({ intervalS: Number(text) })}
        helperText="Boards that run a starter obey it at once."
      />
      <TextField
        select
        label="Board"
        value={kind.board}
        onChange={({ target }) => choose({ board: target.value as Board })}
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
        onChange={({ target }) => choose({ icon: target.value as Icon })}
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
      <KeptField label="Notes" multiline name="notes" value={kind.notes} save={(notes) => keep({ notes })} />
      <FormControlLabel
        control={<Checkbox checked={kind.acceptNew} onChange={(_event, on) => choose({ acceptNew: on })} />}
        label="A new name that arrives becomes a datastream"
      />
      <Box sx={{ gridColumn: '1 / -1' }}>
        <Notice error={choice.error} />
      </Box>
    </Box>
  );
}
