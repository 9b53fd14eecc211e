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
import { Link } from 'react-router';
import {
  checkOptions,
  COLUMNS,
  fitRange,
  isScalar,
  widgetFits,
  WIDGET_TYPES,
  WIDGETS,
  type Datastream,
  type OptionValue,
  type Widget,
  type WidgetType,
} from '@peatmoor/core';
import { WEEK_PERIOD, type Period } from '../charts/period';
import { useHistory } from '../charts/useHistory';
import { CopyTo } from './CopyTo';
import { OptionField } from './OptionField';
import type { Shown } from './shown';
import { SourceFields } from './SourceFields';
import { Notice } from '../parts/Notice';
import { ink } from '../theme';
import type { Catalogue, Source } from './useCatalogue';
import { WidgetBody } from './WidgetBody';
import { DRAWN } from './widgets';

/** Its place on the wide arrangement, as people count: from one. */
const PLACES = [
  ['x', 'Column', 1],
  ['y', 'Row', 1],
  ['w', 'Columns', 0],
  ['h', 'Rows', 0],
] as const;

/** Title, type, sources, options and place of one widget. */
export function ConfigureWidget({
  widget,
  dashboard,
  catalogue,
  chosen,
  kindId,
  period,
  onChange,
  onCopy,
  onClose,
}: {
  widget: Widget;
  /** Number of the dashboard it is on. */
  dashboard: number;
  catalogue: Catalogue;
  chosen: string | null;
  kindId: number | null;
  period: Period;
  onChange: (widget: Widget) => void;
  /** Adds another like it. */
  onCopy: (widget: Widget) => void;
  onClose: () => void;
}): ReactNode {
  const [draft, setDraft] = useState(widget);
  const sources = draft.sources.map((one) => catalogue.find(one, chosen)).filter((one) => one !== null);
  const real = sources.flatMap(({ device, stream }) =>
    device === null ? [] : [{ device: device.id, stream: stream.key }],
  );
  const week = useHistory(real, WEEK_PERIOD);
  const low = Math.min(...week.flatMap((line) => line?.min ?? []));
  const high = Math.max(...week.flatMap((line) => line?.max ?? []));
  const types = WIDGET_TYPES.filter(
    (type) =>
      sources.every(({ stream }) => widgetFits(type, stream)) &&
      draft.sources.length <= WIDGETS[type].mostSources,
  );
  const { options } = WIDGETS[draft.type];
  const scaled = 'min' in options;
  const set = (chosen: Record<string, OptionValue>): void =>
    setDraft({ ...draft, options: { ...draft.options, ...chosen } });
  const wrong = checkOptions(draft.type, draft.options);
  return (
    <Dialog open onClose={onClose} maxWidth="md" fullWidth>
      <DialogTitle sx={{ fontWeight: 700 }}>Change the widget</DialogTitle>
      <DialogContent
        sx={{
          display: 'grid',
          gridTemplateColumns: { xs: 'minmax(0, 1fr)', md: 'minmax(0, 1fr) minmax(0, 320px)' },
          columnGap: 5,
          rowGap: 2,
          alignItems: 'start',
        }}
      >
        <Preview
          widget={draft}
          sources={draft.sources.map((one) => catalogue.find(one, chosen))}
          period={period}
        />
        <Box sx={{ display: 'grid', gap: 3, gridColumn: 1, gridRow: { md: 1 } }}>
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
            onChange={({ target }) => setDraft(withType(draft, target.value as WidgetType))}
          >
            {types.map((type) => (
              <MenuItem key={type} value={type}>
                {WIDGETS[type].title}
              </MenuItem>
            ))}
          </TextField>
          <SourceFields
            sources={draft.sources}
            type={draft.type}
            catalogue={catalogue}
            kindId={kindId}
            onChange={(next) => setDraft({ ...draft, sources: next })}
          />
          <Box sx={{ display: 'grid', gridTemplateColumns: '1fr 1fr', gap: 2 }}>
            {Object.entries(options)
              .filter(
                ([, facts]) => !('ofScalars' in facts) || sources.some(({ stream }) => isScalar(stream)),
              )
              .map(([name, facts]) => (
                <OptionField
                  key={name}
                  facts={facts}
                  stream={sources[0]?.stream}
                  value={draft.options[name] ?? null}
                  placeholder={placeholderOf(name, sources[0]?.stream, draft.options)}
                  problem={wrong?.option === name ? `${wrong.reason}. ${wrong.remedy}` : null}
                  onChange={(value) => set({ [name]: value })}
                />
              ))}
          </Box>
          <Box sx={{ display: 'grid', gridTemplateColumns: 'repeat(4, 1fr)', gap: 2 }}>
            {PLACES.map(([name, label, first]) => (
              <TextField
                key={name}
                label={label}
                type="number"
                value={draft[name] + first}
                onChange={({ target }) =>
                  target.value !== '' && setDraft({ ...draft, [name]: Number(target.value) - first })
                }
                slotProps={{ htmlInput: { min: 1, max: name === 'x' || name === 'w' ? COLUMNS : 40 } }}
              />
            ))}
          </Box>
          <Wanting draft={draft} sources={sources} />
          {scaled && (
            <Button disabled={!Number.isFinite(low)} onClick={() => set(fitRange(low, high))}>
              Fit range to seen values
            </Button>
          )}
          <CopyTo widget={draft} from={dashboard} />
        </Box>
      </DialogContent>
      <DialogActions sx={{ px: 3, pb: 2 }}>
        <Button
          variant="text"
          disabled={wrong !== null}
          sx={{ mr: 'auto' }}
          onClick={() => {
            onCopy(draft);
            onClose();
          }}
        >
          Make a copy
        </Button>
        <Button onClick={onClose}>Cancel</Button>
        <Button
          variant="contained"
          color="primary"
          disabled={wrong !== null}
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

/** What an option is where nothing is said. */
function placeholderOf(
  name: string,
  stream: Datastream | undefined,
  { below = null }: Widget['options'],
): string {
  if (name === 'min' || name === 'max') return String(stream?.[name] ?? 'as seen');
  return (
    { step: 'by itself', target: 'none', above: below === null ? '0' : 'none', below: 'none' }[name] ?? ''
  );
}

/** What a datastream lacks that would make the widget better, and where it is given. */
function Wanting({
  draft,
  sources,
}: {
  draft: Widget;
  sources: readonly Pick<Source, 'stream' | 'kind'>[];
}): ReactNode {
  const found = sources[0];
  if (found === undefined || !isScalar(found.stream)) return null;
  const { stream, kind } = found;
  const open = (name: 'min' | 'max'): boolean =>
    name in WIDGETS[draft.type].options && stream[name] === null && (draft.options[name] ?? null) === null;
  const lacks = [
    (open('min') || open('max')) && 'no range, so that its scale is a guess',
    stream.unit === null && stream.type !== 'boolean' && 'no unit',
  ].filter(Boolean);
  if (lacks.length === 0) return null;
  return (
    <Notice tone="plain">
      {stream.title} has {lacks.join(', and ')}. <Link to={`/kinds/${kind.id}`}>Give it one</Link>, for all
      that shows it.
    </Notice>
  );
}

/** How the widget looks as it is set now. */
function Preview({ widget, sources, period }: { widget: Widget; sources: Shown; period: Period }): ReactNode {
  return (
    <Box
      aria-label="Preview"
      sx={{
        // It stays in sight while the fields are scrolled.
        position: 'sticky',
        top: 0,
        zIndex: 2,
        bgcolor: ink.paper,
        gridColumn: { md: 2 },
        height: { xs: Math.min(190, DRAWN[widget.type].phoneHeight), md: Math.min(300, 70 * widget.h) },
        maxWidth: widget.w <= 4 ? 260 : undefined,
        overflow: 'hidden',
        borderTop: `1px solid ${ink.line}`,
        py: 1,
      }}
    >
      <WidgetBody widget={widget} sources={sources} period={period} onPeriod={() => undefined} editing />
    </Box>
  );
}

/** A widget as another type: of its options it keeps what that type has too. */
function withType(widget: Widget, type: WidgetType): Widget {
  const known = WIDGETS[type].options;
  const options = Object.fromEntries(Object.entries(widget.options).filter(([name]) => name in known));
  return { ...widget, type, options };
}
