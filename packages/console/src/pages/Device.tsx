import { Box, Button, Typography } from '@mui/material';
import { Suspense, useEffect, useRef, useState, type ReactNode } from 'react';
import { Link, useLocation, useNavigate, useParams } from 'react-router';
import { presenceOf, type StarterPlan } from '@peatmoor/core';
import type { Device as DeviceFacts } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { ArrivalList } from '../devices/ArrivalList';
import { Calibrate } from '../devices/Calibrate';
import { CheckProgram } from '../devices/CheckProgram';
import { ConnectLines } from '../devices/ConnectLines';
import { Correct } from '../devices/Correct';
import { DeviceNow } from '../devices/DeviceNow';
import { Facts } from '../devices/Facts';
import { HandOver } from '../devices/HandOver';
import { ReportByHand } from '../devices/ReportByHand';
import { ProofSteps } from '../devices/ProofSteps';
import { TakeAway } from '../devices/TakeAway';
import { NextMessage } from '../devices/NextMessage';
import { Tokens } from '../devices/Tokens';
import { useToken } from '../devices/useToken';
import { WhenItReported } from '../devices/WhenItReported';
import { liveStore, useHeardUntil, useLastSeen } from '../live';
import { useAsk } from '../parts/Ask';
import { Heading, Section } from '../parts/Heading';
import { KindMark } from '../parts/KindMark';
import { PresenceMark } from '../parts/marks';
import { Notice } from '../parts/Notice';
import { NotThere } from '../parts/NotThere';
import { useMay } from '../parts/useMay';
import { later } from '../parts/later';
import { ink } from '../theme';

const ShareDialog = later(() => import('../sharing/ShareDialog'), 'ShareDialog');

/** A device, keyed by its ID so that nothing of one stays with another. */
export function Device(): ReactNode {
  const { device = '' } = useParams();
  return <OneDevice key={device} />;
}

/** A device: how far it has come, what arrives, its controls, and all that a board needs to connect. */
function OneDevice(): ReactNode {
  const { device: id = '', part: asked = '' } = useParams();
  const { state } = useLocation() as { state: { token?: string } | null };
  const device = useRead('readDevice', { params: { device: id } });
  const kind = useRead('readKind', { params: { kind: device.data?.kindId ?? 0 } }, device.data !== undefined);
  const me = useRead('me').data;
  const mayLook = useMay('look');
  const firmwareKey = useRead(
    'readFirmwareKey',
    { params: { kind: device.data?.kindId ?? 0 } },
    device.data !== undefined && mayLook,
  ).data;
  const [token, setToken] = useToken(id, state?.token);
  const navigate = useNavigate();
  const given = state?.token !== undefined;
  // The tab has it now; the browser's own memory of the page, which stays over a reload, is not to hold it too.
  useEffect(() => {
    if (given) void navigate('.', { replace: true, state: null });
  }, [given, navigate]);
  const mayChange = useMay('change');
  const [sharing, setSharing] = useState(false);
  const opened = useRef<'connect' | 'now' | null>(null);
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
  // What is needed next is first: a new device opens on connecting it, and stays there when its first reading comes.
  opened.current ??= fresh ? 'connect' : 'now';
  const part = mayLook ? (PARTS.find(([address]) => address === asked)?.[0] ?? opened.current) : 'now';
  const plan: StarterPlan = {
    firmwareKey: firmwareKey?.publicKey ?? null,
    deviceId: id,
    deviceName: device.data.name,
    ...me.address,
    token,
    intervalS: kind.data.intervalS,
    streams: kind.data.streams,
  };
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
        {(mayChange || device.data.dashboardId !== null) && <OfferDashboard device={device.data} />}
        {mayChange && (
          <>
            <Button component={Link} to={`/devices/new?kind=${kind.data.id}`}>
              Add another like it
            </Button>
            <Button onClick={() => setSharing(true)}>Share</Button>
          </>
        )}
      </Heading>
      <Box
        component="nav"
        aria-label="Pages of the device"
        sx={{
          display: 'flex',
          flexWrap: 'wrap',
          columnGap: { xs: 2, sm: 3 },
          mb: -2,
        }}
      >
        {PARTS.filter(([address]) => mayLook || address === 'now').map(([address, title]) => (
          <Box
            key={address}
            component={Link}
            to={`/devices/${encodeURIComponent(id)}/${address}`}
            aria-current={address === part ? 'page' : undefined}
            sx={{
              py: 1,
              whiteSpace: 'nowrap',
              textDecoration: 'none',
              fontWeight: address === part ? 750 : 400,
              borderBottom: `3px solid ${address === part ? ink.heather : 'transparent'}`,
            }}
          >
            {title}
          </Box>
        ))}
      </Box>
      {sharing && (
        <Suspense>
          <ShareDialog
            subject={{ sort: 'device', dashboardId: null, widgetId: null, deviceId: id }}
            title={device.data.name}
            onClose={() => setSharing(false)}
          />
        </Suspense>
      )}
      {part === 'now' && fresh && (
        <Typography color="textSecondary" sx={{ mt: 3 }}>
          No reading yet. <Link to={`/devices/${encodeURIComponent(id)}/connect`}>Connect it</Link> first.
        </Typography>
      )}
      {part === 'now' && <DeviceNow device={device.data} kind={kind.data} />}
      {part === 'connect' && (
        <>
          <Box sx={{ mt: 3 }}>
            <ProofSteps device={device.data} now={now} />
          </Box>
          {token !== null && (
            <Notice tone="plain" action={{ label: 'Put the token away', onClick: () => setToken(null) }}>
              The token stands in the lines below, in this tab only, until you put it away.
            </Notice>
          )}
          <Section
            title="Connect it"
            id="connect"
            note="Lines to paste, MQTT settings, and a starter program."
          >
            <ConnectLines plan={plan} board={kind.data.board} />
          </Section>
          <Section title="Arrivals" note="Every message, as it comes.">
            <ArrivalList device={device.data} kind={kind.data} />
          </Section>
          <Section title="Check my program" note="Names, topics, addresses and tokens, before you flash it.">
            <CheckProgram device={id} kind={kind.data} address={me.address} />
          </Section>
        </>
      )}
      {part === 'arrivals' && (
        <Section title="Arrivals" note="Every message, as it comes.">
          <ArrivalList device={device.data} kind={kind.data} />
          <ReportByHand device={id} kind={kind.data} />
        </Section>
      )}
      {part === 'right' && (
        <Section
          title="Make values right"
          note="Measured values stay as they came; what is shown is made right."
        >
          <Calibrate device={id} kind={kind.data} />
        </Section>
      )}
      {part === 'data' && (
        <>
          <Section title="Its data" note="Take it away, or bring older readings in.">
            <TakeAway device={id} />
          </Section>
          <Section title="Delete readings" note="Counted first; kept on record.">
            <Correct device={id} kind={kind.data} />
          </Section>
        </>
      )}
      {part === 'about' && (
        <>
          <Section title="About it">
            <Facts key={device.data.name} device={device.data} />
          </Section>
          {!fresh && (
            <Section title="When it reported" note="Readings in each hour of the last two weeks.">
              <WhenItReported device={device.data} kind={kind.data} />
            </Section>
          )}
          <Section title="Tokens" note="Known by their fingerprints.">
            <Tokens device={id} onMade={setToken} />
          </Section>
          {me.role === 'owner' && <HandOver device={id} />}
          <DeleteDevice id={id} name={device.data.name} />
        </>
      )}
    </>
  );
}

/** The pages of a device, by their addresses. */
const PARTS = [
  ['now', 'Now'],
  ['arrivals', 'Arrivals'],
  ['connect', 'Connect'],
  ['right', 'Make right'],
  ['data', 'Data'],
  ['about', 'About and tokens'],
] as const;

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
