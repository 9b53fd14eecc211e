import {
  Autocomplete,
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
import { DASHBOARD_COLOURS, type DashboardColour } from '@peatmoor/contract';
import { ICONS, type Icon } from '@peatmoor/core';
import { KindMark } from '../parts/KindMark';
import { ink } from '../theme';
import type { Catalogue } from './useCatalogue';
import type { Content } from './useDraft';

/** What a dashboard is called, found by and looks like, and for whose devices it is made. */
export function DashboardFields({
  content,
  catalogue,
  onChange,
  onClose,
}: {
  content: Content;
  catalogue: Catalogue;
  onChange: (content: Content) => void;
  onClose: () => void;
}): ReactNode {
  const [draft, setDraft] = useState(content);
  const labels = [...new Set(catalogue.devices.flatMap((device) => device.labels))].sort();
  const set = (change: Partial<Content>): void => setDraft({ ...draft, ...change });
  const madeFor = draft.forLabel
    ? `label:${draft.forLabel}`
    : draft.kindId === null
      ? ''
      : `kind:${draft.kindId}`;
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth aria-labelledby="about-dashboard">
      <DialogTitle id="about-dashboard" sx={{ fontWeight: 700 }}>
        About this dashboard
      </DialogTitle>
      <DialogContent sx={{ display: 'grid', gap: 3 }}>
        <TextField
          label="Title"
          value={draft.title}
          onChange={({ target }) => set({ title: target.value.slice(0, 80) })}
        />
        <TextField
          select
          label="The chosen device is any"
          value={madeFor}
          helperText="A widget may show “the chosen device”: whichever of these is picked."
          onChange={({ target }) => {
            const [sort, id = ''] = target.value.split(/:(.*)/);
            set({ kindId: sort === 'kind' ? Number(id) : null, forLabel: sort === 'label' ? id : null });
          }}
        >
          <MenuItem value="">none: it shows named devices</MenuItem>
          {catalogue.kinds.map(({ id, title }) => (
            <MenuItem key={id} value={`kind:${id}`}>
              {title}
            </MenuItem>
          ))}
          {labels.map((label) => (
            <MenuItem key={label} value={`label:${label}`}>
              with the label “{label}”
            </MenuItem>
          ))}
        </TextField>
        <Autocomplete
          multiple
          freeSolo
          options={labels}
          value={draft.labels}
          onChange={(_event, next) =>
            set({ labels: next.map((one) => one.trim().toLowerCase()).filter(Boolean) })
          }
          renderInput={(params) => <TextField {...params} label="Labels" placeholder="to find it by" />}
        />
        <Box sx={{ display: 'grid', gridTemplateColumns: '1fr 1fr', gap: 2 }}>
          <TextField
            select
            label="Drawing"
            value={draft.icon}
            onChange={({ target }) => set({ icon: target.value as Icon })}
          >
            {ICONS.map((icon) => (
              <MenuItem key={icon} value={icon}>
                <KindMark icon={icon} /> {icon || 'none'}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            select
            label="Colour"
            value={draft.colour}
            onChange={({ target }) => set({ colour: target.value as DashboardColour })}
          >
            {DASHBOARD_COLOURS.map((colour) => (
              <MenuItem key={colour} value={colour}>
                <Box
                  component="span"
                  sx={{ display: 'inline-block', width: 14, height: 14, mr: 1, bgcolor: ink[colour] }}
                />
                {colour}
              </MenuItem>
            ))}
          </TextField>
        </Box>
      </DialogContent>
      <DialogActions sx={{ px: 3, pb: 2 }}>
        <Button onClick={onClose}>Cancel</Button>
        <Button
          variant="contained"
          color="primary"
          disabled={draft.title.trim() === ''}
          onClick={() => {
            onChange({ ...draft, title: draft.title.trim() });
            onClose();
          }}
        >
          Change it
        </Button>
      </DialogActions>
    </Dialog>
  );
}
