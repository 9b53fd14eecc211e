import {
  Box,
  Button,
  Checkbox,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  FormControlLabel,
  TextField,
  Typography,
} from '@mui/material';
import { useState, type ReactNode } from 'react';
import {
  widgetFits,
  widgetsFor,
  WIDGET_TYPES,
  WIDGETS,
  type WidgetSource,
  type WidgetType,
} from '@peatmoor/core';
import type { Kind, Stream } from '@peatmoor/contract';
import { StreamDialog } from '../kinds/StreamDialog';
import { ink } from '../theme';
import type { Catalogue } from './useCatalogue';

/** Datastreams that are listed at once; a search finds the others. */
const MOST_LISTED = 60;

/** A datastream that can be shown, with the words by which it is found. */
interface Offer {
  source: WidgetSource;
  stream: Stream;
  kind: Kind;
  of: string;
}

const same = (a: WidgetSource, b: WidgetSource): boolean => a.device === b.device && a.stream === b.stream;

/** Everything that a widget could show: the chosen device's first, then each device's. */
function offersOf({ devices, kinds }: Catalogue, chosenKinds: readonly number[]): Offer[] {
  const of = (kind: Kind, device: string | null, name: string): Offer[] =>
    kind.streams.map((stream) => ({ source: { device, stream: stream.key }, stream, kind, of: name }));
  return [
    ...kinds
      .filter(({ id }) => chosenKinds.includes(id))
      .flatMap((kind) => of(kind, null, 'the chosen device')),
    ...devices.flatMap((device) => {
      const kind = kinds.find(({ id }) => id === device.kindId);
      return kind === undefined ? [] : of(kind, device.id, device.name);
    }),
  ];
}

/** True where every word is somewhere in the name of the device or the datastream. */
function isFound({ of, stream, kind }: Offer, search: string): boolean {
  const text = `${of} ${stream.title} ${stream.key} ${kind.title}`.toLowerCase();
  return search
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word));
}

/** First what is shown, then how: datastreams found by words, and of the widgets that fit them the most telling first. */
export function AddWidgets({
  catalogue,
  chosenKinds,
  onAdd,
  onClose,
}: {
  catalogue: Catalogue;
  /** The kinds of the devices that can be chosen. */
  chosenKinds: readonly number[];
  onAdd: (type: WidgetType, groups: WidgetSource[][]) => void;
  onClose: () => void;
}): ReactNode {
  const [search, setSearch] = useState('');
  const [picked, setPicked] = useState<Offer[]>([]);
  const [type, setType] = useState<WidgetType | null>(null);
  const [together, setTogether] = useState(true);
  const [making, setMaking] = useState<Kind | null>(null);
  const offers = offersOf(catalogue, chosenKinds);
  const found = offers.filter((one) => isFound(one, search));
  // Without a datastream there are the widgets that need none.
  const types =
    picked.length === 0
      ? WIDGET_TYPES.filter((one) => WIDGETS[one].mostSources === 0)
      : widgetsFor(picked[0]!.stream).filter((one) => picked.every(({ stream }) => widgetFits(one, stream)));
  const best = type !== null && types.includes(type) ? type : picked.length === 0 ? null : (types[0] ?? null);
  const isPicked = ({ source }: Offer): boolean => picked.some((one) => same(one.source, source));
  const toggle = (offer: Offer): void =>
    setPicked((list) =>
      isPicked(offer) ? list.filter((one) => !same(one.source, offer.source)) : [...list, offer],
    );
  const most = best === null ? 0 : WIDGETS[best].mostSources;
  const inOne = most > 1 && together;
  const groups =
    most === 0
      ? [[]]
      : inOne
        ? chunks(
            picked.map(({ source }) => source),
            most,
          )
        : picked.map(({ source }) => [source]);
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth aria-labelledby="add-widgets">
      <DialogTitle id="add-widgets" sx={{ fontWeight: 700 }}>
        Add widgets
      </DialogTitle>
      <DialogContent sx={{ display: 'grid', gap: 2.5 }}>
        <TextField
          label="Find a device or a datastream"
          placeholder="north level"
          value={search}
          autoFocus
          onChange={({ target }) => setSearch(target.value)}
        />
        <Box sx={{ maxHeight: 260, overflowY: 'auto', borderTop: `1px solid ${ink.line}` }}>
          {found.slice(0, MOST_LISTED).map((offer) => (
            <FormControlLabel
              key={`${offer.source.device}/${offer.source.stream}/${offer.kind.id}`}
              sx={{ display: 'flex', mr: 0 }}
              control={<Checkbox checked={isPicked(offer)} onChange={() => toggle(offer)} />}
              label={
                <>
                  {offer.of} › <b>{offer.stream.title}</b>
                </>
              }
            />
          ))}
          {found.length > MOST_LISTED && (
            <Typography color="textSecondary" sx={{ py: 1 }}>
              {found.length - MOST_LISTED} more; type a part of a name.
            </Typography>
          )}
          {found.length === 0 && (
            <Typography color="textSecondary" sx={{ py: 1 }}>
              {offers.length === 0
                ? 'There is nothing to show yet: make a device first.'
                : 'Nothing is called so.'}
            </Typography>
          )}
        </Box>
        <Box
          role="radiogroup"
          aria-label="Widget type"
          sx={{ display: 'grid', gridTemplateColumns: { xs: '1fr 1fr', sm: 'repeat(3, 1fr)' }, gap: 1 }}
        >
          {types.map((one) => (
            <Button
              key={one}
              role="radio"
              aria-checked={one === best}
              onClick={() => setType(one)}
              sx={{
                display: 'block',
                textAlign: 'left',
                whiteSpace: 'normal',
                borderColor: one === best ? ink.heather : ink.line,
                borderWidth: one === best ? 2 : 1,
              }}
            >
              {WIDGETS[one].title}
              <Typography
                component="span"
                variant="body2"
                color="textSecondary"
                sx={{ display: 'block', lineHeight: 1.3 }}
              >
                {WIDGETS[one].purpose}
              </Typography>
            </Button>
          ))}
        </Box>
        {picked.length > 0 && types.length === 0 && (
          <Typography color="textSecondary">No one widget shows all of these; pick fewer.</Typography>
        )}
        {most > 1 && picked.length > 1 && (
          <FormControlLabel
            control={<Checkbox checked={together} onChange={(_event, on) => setTogether(on)} />}
            label={`all in one ${WIDGETS[best!].title.toLowerCase()}`}
          />
        )}
        {catalogue.kinds.length > 0 && (
          <Button
            variant="text"
            sx={{ justifySelf: 'start' }}
            onClick={() => setMaking((picked.at(-1) ?? found[0])?.kind ?? catalogue.kinds[0]!)}
          >
            Make a datastream
          </Button>
        )}
      </DialogContent>
      <DialogActions sx={{ px: 3, pb: 2 }}>
        <Button onClick={onClose}>Cancel</Button>
        <Button
          variant="contained"
          color="primary"
          disabled={best === null}
          onClick={() => {
            onAdd(best!, groups);
            onClose();
          }}
        >
          {groups.length > 1 ? `Add ${groups.length} widgets` : 'Add the widget'}
        </Button>
      </DialogActions>
      {making && (
        <StreamDialog
          kindId={making.id}
          onClose={() => setMaking(null)}
          onDone={(stream) => {
            const device = chosenKinds.includes(making.id)
              ? null
              : (catalogue.devices.find(({ kindId }) => kindId === making.id)?.id ?? null);
            const source = { device, stream: stream.key };
            setPicked((list) => [...list, { source, stream, kind: making, of: making.title }]);
          }}
        />
      )}
    </Dialog>
  );
}

function chunks<T>(list: readonly T[], size: number): T[][] {
  const parts: T[][] = [];
  for (let i = 0; i < list.length; i += size) parts.push(list.slice(i, i + size));
  return parts;
}
