import {
  Box,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  MenuItem,
  TextField,
} from '@mui/material';
import { useState, type ReactNode } from 'react';
import { fitRange, widgetFits, WIDGET_TYPES, WIDGETS, type Widget, type WidgetType } from '@peatmoor/core';
import { PERIODS } from '../charts/period';
import { useHistory } from '../charts/useHistory';
import type { Catalogue } from './useCatalogue';

/** Title, type and range of one widget. */
export function ConfigureWidget({
  widget,
  catalogue,
  chosen,
  onChange,
  onClose,
}: {
  widget: Widget;
  catalogue: Catalogue;
  chosen: string | null;
  onChange: (widget: Widget) => void;
  onClose: () => void;
}): ReactNode {
  const [draft, setDraft] = useState(widget);
  const sources = widget.sources.map((one) => catalogue.find(one, chosen)).filter((one) => one !== null);
  const real = sources.flatMap(({ device, stream }) =>
    device === null ? [] : [{ device: device.id, stream: stream.key }],
  );
  const week = useHistory(real, PERIODS[3]);
  const low = Math.min(...week.flatMap((line) => line?.min ?? []));
  const high = Math.max(...week.flatMap((line) => line?.max ?? []));
  const types = WIDGET_TYPES.filter(
    (type) =>
      sources.every(({ stream }) => widgetFits(type, stream)) &&
      widget.sources.length <= WIDGETS[type].mostSources,
  );
  const ranged = draft.type === 'gauge' || draft.type === 'chart';
  const number = (field: 'min' | 'max', label: string) => (
    <TextField
      label={label}
      type="number"
      value={draft[field] ?? ''}
      placeholder={String(sources[0]?.stream[field] ?? 'as seen')}
      onChange={({ target }) =>
        setDraft({ ...draft, [field]: target.value === '' ? null : Number(target.value) })
      }
      slotProps={{ htmlInput: { step: 'any' }, inputLabel: { shrink: true } }}
    />
  );
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth>
      <DialogTitle sx={{ fontWeight: 700 }}>Change the widget</DialogTitle>
      <DialogContent sx={{ display: 'grid', gap: 3 }}>
        <TextField
          label="Title"
          value={draft.title}
          placeholder={sources[0]?.stream.title ?? ''}
          onChange={({ target }) => setDraft({ ...draft, title: target.value.slice(0, 80) })}
        />
        <TextField
          select
          label="Type"
          value={draft.type}
          onChange={({ target }) => setDraft({ ...draft, type: target.value as WidgetType })}
        >
          {types.map((type) => (
            <MenuItem key={type} value={type}>
              {WIDGETS[type].title}
            </MenuItem>
          ))}
        </TextField>
        {ranged && (
          <>
            <Box sx={{ display: 'grid', gridTemplateColumns: '1fr 1fr', gap: 2 }}>
              {number('min', 'Scale from')}
              {number('max', 'to')}
            </Box>
            <Button
              disabled={!Number.isFinite(low)}
              onClick={() => setDraft({ ...draft, ...fitRange(low, high) })}
            >
              Fit range to seen values
            </Button>
          </>
        )}
      </DialogContent>
      <DialogActions sx={{ px: 3, pb: 2 }}>
        <Button onClick={onClose}>Cancel</Button>
        <Button
          variant="contained"
          color="primary"
          disabled={draft.min !== null && draft.max !== null && draft.min >= draft.max}
          onClick={() => {
            onChange(draft);
            onClose();
          }}
        >
          Change it
        </Button>
      </DialogActions>
    </Dialog>
  );
}
