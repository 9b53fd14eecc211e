import { Box, Button, Typography } from '@mui/material';
import { Suspense, useEffect, useRef, useState, type ReactNode } from 'react';
import { Link, useLocation, useNavigate, useParams } from 'react-router';
import { presenceOf, type StarterPlan } from '@peatmoor/core';
import type { Device as DeviceFacts } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { DeviceNow } from '../devices/DeviceNow';
import { NextMessage } from '../devices/NextMessage';
import { useToken } from '../devices/useToken';
import { liveStore, useHeardUntil, useLastSeen } from '../live';
import { Heading, Section } from '../parts/Heading';
import { KindMark } from '../parts/KindMark';
import { PresenceMark } from '../parts/marks';
import { NotThere } from '../parts/NotThere';
import { useMay } from '../parts/useMay';
import { later } from '../parts/later';
import { ink } from '../theme';

const AboutPart = later(() => import('../devices/AboutPart'), 'AboutPart');
const ArrivalsPart = later(() => import('../devices/ArrivalsPart'), 'ArrivalsPart');
const Calibrate = later(() => import('../devices/Calibrate'), 'Calibrate');
const ConnectPart = later(() => import('../devices/ConnectPart'), 'ConnectPart');
const DataPart = later(() => import('../devices/DataPart'), 'DataPart');
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
      <Suspense>
        {part === 'connect' && (
          <ConnectPart
            device={device.data}
            kind={kind.data}
            plan={plan}
            address={me.address}
            now={now}
            onPutAway={() => setToken(null)}
          />
        )}
        {part === 'arrivals' && <ArrivalsPart device={device.data} kind={kind.data} />}
        {part === 'right' && (
          <Section
            title="Make values right"
            note="Measured values stay as they came; what is shown is made right."
          >
            <Calibrate device={id} kind={kind.data} />
          </Section>
        )}
        {part === 'data' && <DataPart device={id} kind={kind.data} />}
        {part === 'about' && <AboutPart device={device.data} kind={kind.data} onToken={setToken} />}
      </Suspense>
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
