import { counted } from '@peatmoor/core';
import { Box, Button, Typography } from '@mui/material';
import { Suspense, useState, type ReactNode } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import type { Kind, Stream } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { ClaimSecrets } from '../kinds/ClaimSecrets';
import { Costs } from '../kinds/Costs';
import { FirmwareSection } from '../kinds/Firmware';
import { KindFields } from '../kinds/KindFields';
import { MoveDevices } from '../kinds/MoveDevices';
import { StreamRow } from '../kinds/StreamRow';
import { useAsk } from '../parts/Ask';
import { Heading, Section } from '../parts/Heading';
import { KindMark } from '../parts/KindMark';
import { later } from '../parts/later';
import { Notice } from '../parts/Notice';
import { NotThere } from '../parts/NotThere';

const StreamDialog = later(() => import('../kinds/StreamDialog'), 'StreamDialog');

/** A kind: its datastreams and expected interval, and its devices. */
export function KindPage(): ReactNode {
  const params = { kind: Number(useParams().kind) };
  const navigate = useNavigate();
  const kind = useRead('readKind', { params });
  const devices = useRead('listDevices').data?.filter(({ kindId }) => kindId === params.kind) ?? [];
  const remove = useChange('deleteKind', ['listKinds']);
  const ask = useAsk();
  const [open, setOpen] = useState<Stream | 'new' | null>(null);
  if (kind.data === undefined)
    return <NotThere error={kind.error} what="kind" back={['All devices by kind', '/devices']} />;
  return (
    <>
      <Heading
        name={kind.data.title}
        title={
          <>
            <KindMark icon={kind.data.icon} size={28} /> {kind.data.title}
          </>
        }
        below={`A kind with ${counted(devices.length, 'device')}. A change here reaches all of them at once.`}
      >
        <CopyKind kind={kind.data} />
        <Button component={Link} to={`/devices/new?kind=${kind.data.id}`}>
          Add another like it
        </Button>
      </Heading>
      <KindFields key={kind.data.id} kind={kind.data} />
      <Section
        title="Datastreams"
        note="Names are matched leniently: capitals, spaces and hyphens do not matter, and a virtual pin does as well."
      >
        {kind.data.streams.map((stream) => (
          <StreamRow
            key={stream.id}
            stream={stream}
            streams={kind.data.streams}
            onOpen={() => setOpen(stream)}
            kindId={params.kind}
          />
        ))}
        <Button sx={{ mt: 2 }} onClick={() => setOpen('new')}>
          Add a datastream
        </Button>
      </Section>
      <Costs kind={kind.data} />
      <ClaimSecrets kind={kind.data} />
      <FirmwareSection kind={kind.data} devices={devices} />
      <Section title="Devices">
        {devices.map(({ id, name }) => (
          <Box key={id} sx={{ py: 0.5 }}>
            <Link to={`/devices/${id}`}>{name}</Link>
          </Box>
        ))}
        {devices.length === 0 && (
          <>
            <Typography color="textSecondary">No device yet.</Typography>
            <Button
              variant="text"
              disabled={remove.isPending}
              onClick={() =>
                void ask({
                  title: `Delete the kind ${kind.data.title}?`,
                  text: 'Its datastreams, rules and claim secrets go with it. It has no devices.',
                  action: 'Delete the kind',
                }).then(
                  (yes) => yes && remove.mutate({ params }, { onSuccess: () => void navigate('/devices') }),
                )
              }
            >
              Delete this kind
            </Button>
          </>
        )}
        <MoveDevices kind={kind.data} />
        <Notice error={remove.error} />
      </Section>
      {open !== null && (
        <Suspense>
          <StreamDialog
            kindId={params.kind}
            {...(open !== 'new' && { before: open })}
            onClose={() => setOpen(null)}
          />
        </Suspense>
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
