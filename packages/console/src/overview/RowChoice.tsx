import {
  Box,
  Button,
  Checkbox,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  FormControlLabel,
  Typography,
} from '@mui/material';
import { useState, type ReactNode } from 'react';
import type { Kind, PersonalChoices } from '@peatmoor/contract';
import { useChange } from '../api';
import { KindMark } from '../parts/KindMark';
import { Notice } from '../parts/Notice';
import { inRows } from './rows';

/** Which datastreams the rows of Overview show, kind by kind; those that come later are shown too. */
export function RowChoice({
  kinds,
  leftOut,
  onClose,
}: {
  /** Those of which there are devices. */
  kinds: readonly Kind[];
  leftOut: PersonalChoices['leftOut'];
  onClose: () => void;
}): ReactNode {
  const change = useChange('changeMe', ['me', 'overview']);
  const [out, setOut] = useState(
    () => new Set(leftOut.flatMap(({ kind, streams }) => streams.map((key) => nameOf(kind, key)))),
  );
  const set = (names: readonly string[], shown: boolean): void => {
    const next = new Set(out);
    for (const name of names)
      if (shown) next.delete(name);
      else next.add(name);
    setOut(next);
  };
  const keep = (): void =>
    change.mutate(
      {
        body: {
          leftOut: [
            // What is chosen of kinds that are not here, as of another workspace, stays.
            ...leftOut.filter((one) => !kinds.some(({ id }) => id === one.kind)),
            ...kinds
              .map((kind) => ({
                kind: kind.id,
                streams: inRows(kind)
                  .map(({ key }) => key)
                  .filter((key) => out.has(nameOf(kind.id, key))),
              }))
              .filter(({ streams }) => streams.length > 0),
          ],
        },
      },
      { onSuccess: onClose },
    );
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth aria-labelledby="rows">
      <DialogTitle id="rows" sx={{ fontWeight: 700 }}>
        What your rows show
      </DialogTitle>
      <DialogContent>
        <Typography color="textSecondary" sx={{ mb: 2 }}>
          For you alone. What a kind measures later is shown too, until you take it out.
        </Typography>
        {kinds.map((kind) => {
          const names = inRows(kind).map(({ key }) => nameOf(kind.id, key));
          const shown = names.filter((name) => !out.has(name)).length;
          return (
            <Box key={kind.id} role="group" aria-labelledby={`rows-${kind.id}`} sx={{ mb: 2 }}>
              <FormControlLabel
                label={
                  <Box component="span" id={`rows-${kind.id}`} sx={{ fontWeight: 600 }}>
                    <KindMark icon={kind.icon} size={16} /> {kind.title}
                  </Box>
                }
                control={
                  <Checkbox
                    checked={shown === names.length}
                    indeterminate={shown > 0 && shown < names.length}
                    onChange={() => set(names, shown < names.length)}
                  />
                }
              />
              <Box sx={{ display: 'grid', gridTemplateColumns: { sm: '1fr 1fr' }, pl: 4 }}>
                {inRows(kind).map(({ key, title }) => (
                  <FormControlLabel
                    key={key}
                    label={title}
                    sx={{ minWidth: 0, overflowWrap: 'anywhere' }}
                    control={
                      <Checkbox
                        checked={!out.has(nameOf(kind.id, key))}
                        onChange={({ target }) => set([nameOf(kind.id, key)], target.checked)}
                      />
                    }
                  />
                ))}
              </Box>
            </Box>
          );
        })}
        <Notice error={change.error} />
      </DialogContent>
      <DialogActions sx={{ px: 3, pb: 2 }}>
        {out.size > 0 && (
          <Button variant="text" sx={{ mr: 'auto' }} onClick={() => setOut(new Set())}>
            Show everything
          </Button>
        )}
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" color="primary" disabled={change.isPending} onClick={keep}>
          Keep it
        </Button>
      </DialogActions>
    </Dialog>
  );
}

const nameOf = (kind: number, key: string): string => `${kind} ${key}`;
