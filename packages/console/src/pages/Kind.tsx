import { Box, Button, Checkbox, FormControlLabel, TextField, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { showUnit } from '@peatmoor/core';
import type { Kind, KindChange, Stream } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { StreamDialog } from '../kinds/StreamDialog';
import { Heading, Section } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { ink, MONO } from '../theme';

/** A kind: its datastreams and expected interval, and its devices. */
export function KindPage(): ReactNode {
  const params = { kind: Number(useParams().kind) };
  const navigate = useNavigate();
  const kind = useRead('readKind', { params });
  const devices = useRead('listDevices').data?.filter(({ kindId }) => kindId === params.kind) ?? [];
  const remove = useChange('deleteKind', ['listKinds']);
  const [open, setOpen] = useState<Stream | 'new' | null>(null);
  if (kind.error) return <Notice error={kind.error} />;
  if (kind.data === undefined) return null;
  return (
    <>
      <Heading
        title={kind.data.title}
        below={`A kind with ${devices.length} ${devices.length === 1 ? 'device' : 'devices'}. A change here reaches all of them at once.`}
      >
        <CopyKind kind={kind.data} />
        <Button component={Link} to={`/devices/new?kind=${kind.data.id}`}>
          Add another like it
        </Button>
      </Heading>
      <KindFields key={`${kind.data.title}${kind.data.intervalS}`} kind={kind.data} />
      <Section
        title="Datastreams"
        note="Names are matched leniently: capitals, spaces and hyphens do not matter, and a virtual pin does as well."
      >
        {kind.data.streams.map((stream) => (
          <StreamRow key={stream.id} stream={stream} onOpen={() => setOpen(stream)} kindId={params.kind} />
        ))}
        <Button sx={{ mt: 2 }} onClick={() => setOpen('new')}>
          Add a datastream
        </Button>
      </Section>
      <Section title="Devices">
        {devices.map(({ id, name }) => (
          <Box key={id} sx={{ py: 0.5 }}>
            <Link to={`/devices/${id}`}>{name}</Link>
          </Box>
        ))}
        {devices.length === 0 && (
          <>
            <Typography color="text.secondary">No device yet.</Typography>
            <Button
              variant="text"
              onClick={() => remove.mutate({ params }, { onSuccess: () => void navigate('/devices') })}
            >
              Delete this kind
            </Button>
          </>
        )}
        <Notice error={remove.error} />
      </Section>
      {open !== null && (
        <StreamDialog
          kindId={params.kind}
          {...(open !== 'new' && { before: open })}
          onClose={() => setOpen(null)}
        />
      )}
    </>
  );
}

function CopyKind({ kind }: { kind: Kind }): ReactNode {
  const navigate = useNavigate();
  const copy = useChange('copyKind', ['listKinds']);
  return (
    <Button
      disabled={copy.isPending}
      onClick={() =>
        copy.mutate(
          { params: { kind: kind.id }, body: { title: `${kind.title} (copy)`.slice(0, 80) } },
          { onSuccess: ({ id }) => void navigate(`/kinds/${id}`) },
        )
      }
    >
      Copy this kind
    </Button>
  );
}

/** Title and interval; kept when the field is left. */
function KindFields({ kind }: { kind: Kind }): ReactNode {
  const change = useChange('changeKind', ['readKind', 'listKinds', 'listDevices']);
  const keep = (body: KindChange): void => change.mutate({ params: { kind: kind.id }, body });
  return (
    <Box sx={{ display: 'grid', gap: 3, gridTemplateColumns: { sm: '1fr 1fr' }, maxWidth: 720 }}>
      <TextField
        label="Title"
        defaultValue={kind.title}
        onBlur={({ target }) => target.value.trim() !== kind.title && keep({ title: target.value })}
      />
      <TextField
        label="A message every … seconds"
        type="number"
        defaultValue={kind.intervalS}
        onBlur={({ target }) =>
          Number(target.value) !== kind.intervalS && keep({ intervalS: Number(target.value) })
        }
        helperText="Boards that run a starter obey it at once."
      />
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
        <Notice error={change.error} />
      </Box>
    </Box>
  );
}

function StreamRow({
  stream,
  kindId,
  onOpen,
}: {
  stream: Stream;
  kindId: number;
  onOpen: () => void;
}): ReactNode {
  const remove = useChange('deleteStream', ['readKind', 'listKinds']);
  const [asked, setAsked] = useState(false);
  const effect = useRead('streamEffect', { params: { kind: kindId, stream: stream.key } }, asked).data;
  const range =
    stream.min === null && stream.max === null ? '' : `${stream.min ?? '…'} to ${stream.max ?? '…'}`;
  return (
    <Box
      data-key={stream.key}
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: '1fr auto', md: '1.4fr 1.2fr 0.8fr 1.2fr 1fr 1fr auto' },
        columnGap: 2,
        borderTop: `1px solid ${ink.faint}`,
        py: 1,
        alignItems: 'center',
      }}
    >
      <Box sx={{ fontWeight: 600 }}>
        {stream.title}
        {stream.unconfirmed && (
          <Box component="span" sx={{ color: ink.heather, fontWeight: 400, ml: 1 }}>
            new
          </Box>
        )}
      </Box>
      <Box
        sx={{
          fontFamily: MONO,
          fontSize: '0.9rem',
          gridRow: { xs: 2, md: 'auto' },
          gridColumn: { xs: 1, md: 'auto' },
        }}
      >
        {stream.key}
        {stream.aliases.length > 0 && (
          <Box sx={{ color: ink.soft, fontSize: '0.8rem' }}>also {stream.aliases.join(', ')}</Box>
        )}
      </Box>
      <Box sx={{ display: { xs: 'none', md: 'block' } }}>{stream.type}</Box>
      <Box sx={{ color: ink.soft, gridRow: { xs: 3, md: 'auto' }, gridColumn: { xs: 1, md: 'auto' } }}>
        {stream.type === 'choice'
          ? stream.choices.join(', ')
          : [range, showUnit(stream.unit)].filter(Boolean).join(' ')}
      </Box>
      <Box sx={{ display: { xs: 'none', md: 'block' } }}>{stream.direction}</Box>
      <Box sx={{ color: ink.soft, display: { xs: 'none', md: 'block' } }}>
        {stream.pin === null ? '' : `virtual pin ${stream.pin}`}
      </Box>
      <Box
        sx={{ display: 'flex', gap: 1.5, gridRow: { xs: 1, md: 'auto' }, gridColumn: { xs: 2, md: 'auto' } }}
      >
        <Button variant="text" onClick={onOpen}>
          {stream.unconfirmed ? 'Confirm' : 'Change'}
        </Button>
        <Button variant="text" onClick={() => setAsked(true)}>
          Delete
        </Button>
      </Box>
      {(asked || remove.error) && (
        <Box sx={{ gridColumn: '1 / -1' }}>
          <Notice
            error={remove.error}
            action={{
              label: 'Delete it',
              onClick: () => remove.mutate({ params: { kind: kindId, stream: stream.key } }),
            }}
          >
            Delete “{stream.title}”
            {effect === undefined
              ? ' with its readings'
              : effect.readings === 0
                ? '? It has no readings.'
                : ` with ${effect.readings} readings on ${effect.devices} ${effect.devices === 1 ? 'device' : 'devices'}?`}{' '}
            This cannot be undone.
          </Notice>
        </Box>
      )}
    </Box>
  );
}
