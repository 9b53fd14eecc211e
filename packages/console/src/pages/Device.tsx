import { Box, Button } from '@mui/material';
import { useEffect, useState, type ReactNode } from 'react';
import { Link, useLocation, useNavigate, useParams } from 'react-router';
import { isScalar, presenceOf, showValue, type StarterPlan } from '@peatmoor/core';
import type { Device as DeviceFacts, Kind } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { ArrivalList } from '../devices/ArrivalList';
import { Calibrate } from '../devices/Calibrate';
import { CheckProgram } from '../devices/CheckProgram';
import { ConnectLines } from '../devices/ConnectLines';
import { Controls } from '../devices/Controls';
import { Correct } from '../devices/Correct';
import { Facts } from '../devices/Facts';
import { ReportByHand } from '../devices/ReportByHand';
import { ProofSteps } from '../devices/ProofSteps';
import { TakeAway } from '../devices/TakeAway';
import { NextMessage } from '../devices/NextMessage';
import { Tokens } from '../devices/Tokens';
import { TouchSensor } from '../devices/TouchSensor';
import { liveStore, useHeardUntil, useLastSeen, useNewest } from '../live';
import { useAsk } from '../parts/Ask';
import { AlignedFigure } from '../parts/Figure';
import { Heading, Section } from '../parts/Heading';
import { KindMark } from '../parts/KindMark';
import { PresenceMark } from '../parts/marks';
import { Notice } from '../parts/Notice';
import { NotThere } from '../parts/NotThere';
import { Picture } from '../parts/Picture';
import { ink, MONO } from '../theme';

/** A device: how far it has come, what arrives, its controls, and all that a board needs to connect. */
export function Device(): ReactNode {
  const { device: id = '' } = useParams();
  const { state } = useLocation() as { state: { token?: string } | null };
  const device = useRead('readDevice', { params: { device: id } });
  const kind = useRead('readKind', { params: { kind: device.data?.kindId ?? 0 } }, device.data !== undefined);
  const me = useRead('me').data;
  const [token, setToken] = useState<string | null>(state?.token ?? null);
  const now = useHeardUntil(1000);
  useEffect(() => device.data && liveStore.seed([device.data]), [device.data]);
  const lastSeen = useLastSeen(id);
  if (device.data === undefined && device.error)
    return <NotThere error={device.error} what="device" back={['All devices', '/devices']} />;
  if (device.data === undefined || kind.data === undefined || me === undefined) return null;
  const lastSeenAt = lastSeen ?? device.data.lastSeenAt;
  const presence = presenceOf(
    {
      connected: device.data.connected,
      lastSeenAt,
      intervalS: kind.data.intervalS,
    },
    now,
  );
  const fresh = device.data.proof.firstReadingAt === null;
  const plan: StarterPlan = {
    deviceId: id,
    deviceName: device.data.name,
    ...me.address,
    token,
    intervalS: kind.data.intervalS,
    streams: kind.data.streams,
  };
  const connect = (
    <Section title="Connect it" id="connect" note="Lines to paste, MQTT settings, and a starter program.">
      <ConnectLines plan={plan} board={kind.data.board} />
    </Section>
  );
  return (
    <>
      <Heading
        name={device.data.name}
        title={
          <>
            <KindMark icon={kind.data.icon} size={28} /> {device.data.name}
          </>
        }
        below={
          <>
            {id} · {device.data.labels.length > 0 && `${device.data.labels.join(', ')} · `}
            <Link to={`/kinds/${kind.data.id}`}>{kind.data.title}</Link> ·{' '}
            <PresenceMark presence={presence} now={now} />
            {!fresh && lastSeenAt !== null && (
              <>
                {' · '}
                <NextMessage lastSeen={lastSeenAt} intervalS={kind.data.intervalS} now={now} />
              </>
            )}
          </>
        }
      >
        <OfferDashboard device={device.data} />
        <Button component={Link} to={`/devices/new?kind=${kind.data.id}`}>
          Add another like it
        </Button>
      </Heading>
      <ProofSteps device={device.data} now={now} />
      {fresh && connect}
      {!fresh && <NewestValues device={id} kind={kind.data} />}
      <Section title="Arrivals" note="Every message, as it comes.">
        <ArrivalList device={device.data} kind={kind.data} />
        <ReportByHand device={id} kind={kind.data} />
      </Section>
      <Section title="Controls" note="What is wanted, and whether the board applied it.">
        <Controls device={device.data} kind={kind.data} />
      </Section>
      {!fresh && connect}
      <Section title="Check my program" note="Names, topics, addresses and tokens, before you flash it.">
        <CheckProgram device={id} kind={kind.data} address={me.address} />
      </Section>
      <Section title="About it">
        <Facts key={device.data.name} device={device.data} />
      </Section>
      {!fresh && (
        <>
          <Section
            title="Make values right"
            note="Measured values stay as they came; what is shown is made right."
          >
            <Calibrate device={id} kind={kind.data} />
          </Section>
          <Section title="Its data" note="Take it away, or bring older readings in.">
            <TakeAway device={id} />
          </Section>
          <Section title="Delete readings" note="Counted first; kept on record.">
            <Correct device={id} kind={kind.data} />
          </Section>
        </>
      )}
      <Section title="Tokens" note="Known by their fingerprints.">
        <Tokens device={id} onMade={setToken} />
      </Section>
      <DeleteDevice id={id} name={device.data.name} />
    </>
  );
}

function NewestValues({ device, kind }: { device: string; kind: Kind }): ReactNode {
  return (
    <Section title="Newest readings">
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: { xs: '1fr', sm: 'repeat(auto-fill, minmax(300px, 1fr))' },
          columnGap: 5,
        }}
      >
        {kind.streams
          .filter(({ direction }) => direction !== 'control')
          .map((stream) => (
            <NewestValue key={stream.key} device={device} stream={stream} />
          ))}
      </Box>
      <TouchSensor device={device} kind={kind} />
    </Section>
  );
}

function NewestValue({ device, stream }: { device: string; stream: Kind['streams'][number] }): ReactNode {
  const newest = useNewest(device, stream.key);
  return (
    <Box
      sx={{
        display: 'flex',
        justifyContent: 'space-between',
        gap: 2,
        py: 0.5,
        borderBottom: `1px solid ${ink.faint}`,
      }}
    >
      <span>{stream.title}</span>
      {stream.type === 'image' && newest !== undefined ? (
        <Box sx={{ width: 180, maxHeight: 140 }}>
          <Picture device={device} stream={stream} at={newest.at} />
        </Box>
      ) : isScalar(stream) && typeof newest?.value !== 'object' ? (
        <AlignedFigure stream={stream} value={newest?.value as number | undefined} />
      ) : (
        <span style={{ fontFamily: MONO }}>
          {newest === undefined ? '–' : showValue(stream, newest.value)}
        </span>
      )}
    </Box>
  );
}

function OfferDashboard({ device }: { device: DeviceFacts }): ReactNode {
  const navigate = useNavigate();
  const make = useChange('createStarterDashboard', ['listDashboards', 'readDevice']);
  if (device.dashboardId !== null)
    return (
      <Button component={Link} to={`/dashboards/${device.dashboardId}`}>
        Open its dashboard
      </Button>
    );
  if (device.proof.firstReadingAt === null) return null;
  return (
    <Button
      variant="contained"
      color="primary"
      disabled={make.isPending}
      onClick={() =>
        make.mutate(
          { params: { device: device.id } },
          { onSuccess: ({ id }) => void navigate(`/dashboards/${id}`) },
        )
      }
    >
      Make its dashboard
    </Button>
  );
}

function DeleteDevice({ id, name }: { id: string; name: string }): ReactNode {
  const navigate = useNavigate();
  const ask = useAsk();
  const remove = useChange('deleteDevice', ['listDevices', 'listKinds', 'overview']);
  return (
    <Box sx={{ mt: 6 }}>
      <Notice error={remove.error} />
      <Button
        variant="text"
        disabled={remove.isPending}
        onClick={() =>
          void ask({
            title: `Delete ${name}?`,
            text: `Delete ${name} with all its readings? This cannot be undone.`,
            action: 'Delete it',
          }).then(
            (yes) =>
              yes &&
              remove.mutate({ params: { device: id } }, { onSuccess: () => void navigate('/devices') }),
          )
        }
      >
        Delete this device
      </Button>
    </Box>
  );
}
