import { Button, Dialog, DialogActions, DialogContent, DialogTitle, TextField } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { LONGEST_REMARK } from '@peatmoor/contract';
import { useChange } from '../api';
import { Notice } from './Notice';
import { troubleOf } from './problems';
import { fromLocal, toLocal } from './localTime';
import { serviceNow } from '../live/clock';

/** Writes a note on the time axis of a device. */
export function NoteDialog({
  device,
  at,
  onClose,
}: {
  device: { id: string; name: string };
  /** When it was, epoch ms; null for now. */
  at: number | null;
  onClose: () => void;
}): ReactNode {
  const [when, setWhen] = useState(toLocal(at ?? serviceNow()));
  const [text, setText] = useState('');
  const create = useChange('createNote', ['listNotes']);
  const trouble = troubleOf(create.error);
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth aria-labelledby="note">
      <DialogTitle id="note" sx={{ fontWeight: 700 }}>
        A note on {device.name}
      </DialogTitle>
      <DialogContent sx={{ display: 'grid', gap: 3 }}>
        <TextField
          label="What happened"
          placeholder="Sensor cleaned"
          autoFocus
          value={text}
          onChange={({ target }) => setText(target.value.slice(0, LONGEST_REMARK))}
          {...trouble('text')}
        />
        <TextField
          label="When"
          type="datetime-local"
          value={when}
          onChange={({ target }) => setWhen(target.value)}
          slotProps={{ htmlInput: { step: 1 }, inputLabel: { shrink: true } }}
          {...trouble('at')}
        />
        <Notice error={create.error} beside={['text', 'at']} />
      </DialogContent>
      <DialogActions sx={{ px: 3, pb: 2 }}>
        <Button onClick={onClose}>Cancel</Button>
        <Button
          variant="contained"
          color="primary"
          disabled={text.trim() === '' || create.isPending}
          onClick={() => {
            const time = fromLocal(when);
            create.mutate(
              { params: { device: device.id }, body: { text, ...(time !== null && { at: time }) } },
              { onSuccess: onClose },
            );
          }}
        >
          Write it
        </Button>
      </DialogActions>
    </Dialog>
  );
}
