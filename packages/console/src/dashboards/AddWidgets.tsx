import {
  Box,
  Button,
  Checkbox,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  FormControlLabel,
  MenuItem,
  TextField,
  Typography,
} from '@mui/material';
import { useState, type ReactNode } from 'react';
import { widgetFits, WIDGET_TYPES, WIDGETS, type WidgetSource, type WidgetType } from '@peatmoor/core';
import { StreamDialog } from '../kinds/StreamDialog';
import { ink } from '../theme';
import type { Catalogue } from './useCatalogue';

/** Chooses a type and datastreams; several chosen at once make a widget each (a chart takes them together). */
export function AddWidgets({
  catalogue,
  kindId,
  onAdd,
  onClose,
}: {
  catalogue: Catalogue;
  kindId: number | null;
  onAdd: (type: WidgetType, groups: WidgetSource[][]) => void;
  onClose: () => void;
}): ReactNode {
  const [type, setType] = useState<WidgetType>('gauge');
  const [from, setFrom] = useState<string>(kindId === null ? (catalogue.devices[0]?.id ?? '') : '*');
  const [chosen, setChosen] = useState<WidgetSource[]>([]);
  const [together, setTogether] = useState(true);
  const [making, setMaking] = useState(false);
  const device = from === '*' ? null : from;
  const kind = catalogue.kinds.find(
    ({ id }) =>
      id === (device === null ? kindId : catalogue.devices.find((one) => one.id === device)?.kindId),
  );
  const isChosen = (key: string): boolean =>
    chosen.some((one) => one.device === device && one.stream === key);
  const toggle = (key: string): void =>
    setChosen((list) =>
      isChosen(key)
        ? list.filter((one) => one.device !== device || one.stream !== key)
        : [...list, { device, stream: key }],
    );
  const choose = (next: WidgetType): void => {
    setType(next);
    setChosen([]);
  };
  const alone = WIDGETS[type].mostSources === 0;
  const fitting = kind?.streams.filter((stream) => widgetFits(type, stream)) ?? [];
  const groups = alone ? [[]] : type === 'chart' && together ? [chosen] : chosen.map((one) => [one]);
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth>
      <DialogTitle sx={{ fontWeight: 700 }}>Add widgets</DialogTitle>
      <DialogContent sx={{ display: 'grid', gap: 3 }}>
        <Box
          role="radiogroup"
          aria-label="Widget type"
          sx={{ display: 'grid', gridTemplateColumns: { xs: '1fr 1fr', sm: 'repeat(3, 1fr)' }, gap: 1 }}
        >
          {WIDGET_TYPES.map((one) => (
            <Button
              key={one}
              role="radio"
              aria-checked={one === type}
              onClick={() => choose(one)}
              sx={{
                display: 'block',
                textAlign: 'left',
                whiteSpace: 'normal',
                borderColor: one === type ? ink.heather : ink.line,
                borderWidth: one === type ? 2 : 1,
              }}
            >
              {WIDGETS[one].title}
              <Typography
                component="span"
                variant="body2"
                color="text.secondary"
                sx={{ display: 'block', lineHeight: 1.3 }}
              >
                {WIDGETS[one].purpose}
              </Typography>
            </Button>
          ))}
        </Box>
        {!alone && (
          <>
            <TextField select label="Of" value={from} onChange={({ target }) => setFrom(target.value)}>
              {kindId !== null && <MenuItem value="*">the chosen device</MenuItem>}
              {catalogue.devices.map(({ id, name }) => (
                <MenuItem key={id} value={id}>
                  {name}
                </MenuItem>
              ))}
            </TextField>
            <Box>
              {fitting.map(({ key, title }) => (
                <FormControlLabel
                  key={key}
                  sx={{ display: 'flex' }}
                  control={<Checkbox checked={isChosen(key)} onChange={() => toggle(key)} />}
                  label={title}
                />
              ))}
              {fitting.length === 0 && (
                <Typography color="text.secondary">
                  {kind === undefined
                    ? 'Choose a device.'
                    : `${kind.title} has no datastream that a ${WIDGETS[type].title.toLowerCase()} can show.`}
                </Typography>
              )}
              {kind && (
                <Button variant="text" onClick={() => setMaking(true)}>
                  Make a datastream
                </Button>
              )}
            </Box>
          </>
        )}
        {type === 'chart' && chosen.length > 1 && (
          <FormControlLabel
            control={<Checkbox checked={together} onChange={(_event, on) => setTogether(on)} />}
            label="all in one chart"
          />
        )}
      </DialogContent>
      <DialogActions sx={{ px: 3, pb: 2 }}>
        <Button onClick={onClose}>Cancel</Button>
        <Button
          variant="contained"
          color="primary"
          disabled={!alone && chosen.length === 0}
          onClick={() => {
            onAdd(type, groups);
            onClose();
          }}
        >
          {groups.length > 1 ? `Add ${groups.length} widgets` : 'Add the widget'}
        </Button>
      </DialogActions>
      {making && kind && (
        <StreamDialog
          kindId={kind.id}
          onClose={() => setMaking(false)}
          onDone={(stream) =>
            widgetFits(type, stream) && setChosen((list) => [...list, { device, stream: stream.key }])
          }
        />
      )}
    </Dialog>
  );
}
