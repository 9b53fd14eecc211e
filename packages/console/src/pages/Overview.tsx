import { Box, Button, MenuItem, TextField, Typography } from '@mui/material';
import { Fragment, Suspense, useDeferredValue, useEffect, useMemo, useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import {
  wholeInWords,
  type Device,
  type Kind,
  type Overview as OverviewOfDays,
  type PersonalChoices,
} from '@peatmoor/contract';
import { useRead } from '../api';
import { troubleOfDevice } from '../devices/trouble';
import { liveStore, useHeardUntil } from '../live';
import { DeviceRows } from '../overview/DeviceRows';
import { GrantedElsewhere } from '../overview/GrantedElsewhere';
import { inRows } from '../overview/rows';
import { TimeAxis } from '../overview/TimeAxis';
import { FindField } from '../parts/FindField';
import { Heading } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { usePresent } from '../devices/usePresent';
import { useMay } from '../parts/useMay';
import { useAddress } from '../parts/useAddress';
import { later } from '../parts/later';
import { ink } from '../theme';

const RowChoice = later(() => import('../overview/RowChoice'), 'RowChoice');

/** The ledger: a row a device, troubled ones first, all days on one time axis. */
export function Overview(): ReactNode {
  const me = useRead('me').data;
  const mayChange = useMay('change');
  const devices = useRead('listDevices');
  const kinds = useRead('listKinds').data;
  const clock = useRead('status').data?.clock ?? null;
  const owns = me?.ownsService ?? false;
  const troubles = useRead('listTroubles', undefined, owns, 60_000).data ?? [];
  const now = useHeardUntil();
  useEffect(() => devices.data && liveStore.seed(devices.data), [devices.data]);
  const present = usePresent(devices.data, kinds);
  const [most, setMost] = useState(ROWS_AT_ONCE);
  const [find, setFind] = useAddress('find');
  const [only, setOnly] = useAddress('only');
  const [group, setGroup] = useAddress('group');
  const sorted = useMemo(
    () =>
      present
        .filter((device) => isFound(device, find, only))
        .sort(
          (a, b) =>
            groupOf(a, group).localeCompare(groupOf(b, group)) ||
            troubleOfDevice(b) - troubleOfDevice(a) ||
            a.name.localeCompare(b.name),
        ),
    [present, find, only, group],
  );
  const list = useMemo(() => sorted.slice(0, most), [sorted, most]);
  // In an order that stays, so that what is asked for does not change whenever a row moves up.
  const inSight = list
    .map(({ id }) => id)
    .sort()
    .join();
  const overview = useRead('overview', { query: { devices: inSight } }, inSight !== '');
  const { refetch } = overview;
  useEffect(() => {
    const timer = setInterval(() => void refetch(), 60_000);
    return () => clearInterval(timer);
  }, [refetch]);
  const [choosing, setChoosing] = useState(false);
  const leftOut = me?.user.leftOut ?? NOTHING;
  const choosable = useMemo(() => {
    const there = new Set(devices.data?.map(({ kindId }) => kindId));
    return (kinds ?? []).filter((kind) => there.has(kind.id) && inRows(kind).length > 0);
  }, [devices.data, kinds]);
  const left = choosable.reduce((sum, kind) => {
    const keys = leftOut.find((one) => one.kind === kind.id)?.streams ?? [];
    return sum + inRows(kind).filter(({ key }) => keys.includes(key)).length;
  }, 0);
  if (devices.error?.problem.status === 403)
    return (
      <>
        <Heading title="Nothing is granted to you yet" below={me?.workspace.title} />
        <Typography>
          You belong to this workspace, and see what its owners grant you. Ask them, or look at it again
          later.
        </Typography>
        <GrantedElsewhere now={now} />
      </>
    );
  if (devices.data === undefined) return <Notice error={devices.error} />;
  if (devices.data.length === 0)
    return (
      <>
        <NothingYet />
        <GrantedElsewhere now={now} />
      </>
    );
  return (
    <>
      <Heading
        title="Overview"
        below={`${me?.role === 'none' ? 'granted to you · ' : ''}${wholeInWords(present)}`}
      >
        {choosable.length > 0 && (
          <Button variant="text" onClick={() => setChoosing(true)}>
            {left === 0 ? 'Choose what rows show' : `Choose what rows show: ${left} left out`}
          </Button>
        )}
        {mayChange && (
          <Button component={Link} to="/devices/new">
            Add a device
          </Button>
        )}
      </Heading>
      {choosing && (
        <Suspense>
          <RowChoice kinds={choosable} leftOut={leftOut} onClose={() => setChoosing(false)} />
        </Suspense>
      )}
      {clock !== null && <Notice>{clock}</Notice>}
      {troubles
        .filter(({ what }) => what !== 'clock')
        .map(({ what, state, found, remedy }) => (
          <Notice key={what} tone={state === 'bad' ? 'problem' : 'plain'}>
            {found} {remedy}
          </Notice>
        ))}
      {devices.data.length > FEW && (
        <Box sx={{ display: 'flex', flexWrap: { xs: 'wrap', sm: 'nowrap' }, gap: { xs: 2, sm: 3 }, mb: 2 }}>
          <FindField
            label="Find"
            placeholder="a name, a kind or a label"
            value={find}
            onFind={setFind}
            sx={{ maxWidth: { sm: 260 }, flex: { xs: '1 1 100%', sm: '0 1 260px' } }}
          />
          <TextField
            select
            label="Show"
            value={only}
            onChange={({ target }) => setOnly(target.value)}
            slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
            sx={{ maxWidth: { sm: 200 }, flex: { xs: '1 1 40%', sm: '0 1 200px' } }}
          >
            <MenuItem value="">all devices</MenuItem>
            <MenuItem value="trouble">with open events</MenuItem>
            <MenuItem value="quiet">quiet ones</MenuItem>
          </TextField>
          <TextField
            select
            label="Together"
            value={group}
            onChange={({ target }) => setGroup(target.value)}
            slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
            sx={{ maxWidth: { sm: 200 }, flex: { xs: '1 1 40%', sm: '0 1 200px' } }}
          >
            <MenuItem value="">troubled ones first</MenuItem>
            <MenuItem value="kind">those of one kind</MenuItem>
            <MenuItem value="label">those of one label</MenuItem>
          </TextField>
        </Box>
      )}
      {sorted.length === 0 && <Typography color="textSecondary">No device fits.</Typography>}
      {sorted.length > 0 && (
        <TimeAxis from={overview.data?.from ?? now - DAY_MS} to={overview.data?.to ?? now} />
      )}
      <Rows list={list} kinds={kinds} leftOut={leftOut} overview={overview.data} group={group} />
      {sorted.length > most && (
        <Button sx={{ mt: 2 }} onClick={() => setMost(Math.min(MOST_ROWS, most + ROWS_AT_ONCE))}>
          Show more: {most} of {sorted.length} are shown
        </Button>
      )}
      <GrantedElsewhere now={now} />
    </>
  );
}

interface RowsProps {
  list: Device[];
  kinds: Kind[] | undefined;
  leftOut: PersonalChoices['leftOut'];
  overview: OverviewOfDays | undefined;
  group: string;
}

/** Many rows, and the lines of their days, are drawn in slices: meanwhile the page answers. */
function Rows({ list, kinds, leftOut, overview, group }: RowsProps): ReactNode {
  // Together: rows in the order of before would have the headings of after.
  const wanted = useMemo(() => ({ drawn: list, together: group }), [list, group]);
  const { drawn, together } = useDeferredValue(wanted, NONE);
  const days = useDeferredValue(overview);
  return (
    <Box sx={{ borderBottom: `1px solid ${ink.line}` }}>
      {drawn.map((device, i) => (
        <Fragment key={device.id}>
          {together !== '' &&
            groupOf(device, together) !== (drawn[i - 1] && groupOf(drawn[i - 1]!, together)) && (
              <Typography variant="h2" sx={{ pt: 3, pb: 1 }}>
                {groupOf(device, together) || 'without a label'}
              </Typography>
            )}
          <DeviceRows
            device={device}
            kind={kinds?.find(({ id }) => id === device.kindId)}
            leftOut={leftOut.find((one) => one.kind === device.kindId)?.streams}
            overview={days}
          />
        </Fragment>
      ))}
    </Box>
  );
}

const DAY_MS = 86_400_000;
const NONE: { drawn: Device[]; together: string } = { drawn: [], together: '' };
const NOTHING: PersonalChoices['leftOut'] = [];
/** Rows that are drawn at once, and at the most; whoever has more finds them by name under Devices. */
const ROWS_AT_ONCE = 60;
const MOST_ROWS = 300;

/** What a device stands together with; the same for all where nothing is said. */
function groupOf({ kindTitle, labels }: Device, group: string): string {
  return group === 'kind' ? kindTitle : group === 'label' ? (labels[0] ?? '') : '';
}

function NothingYet(): ReactNode {
  return (
    <Box sx={{ maxWidth: 560, py: 6 }}>
      <Typography variant="h1">Name your first device</Typography>
      <Typography sx={{ my: 2 }} color="textSecondary">
        Say what it measures and what it accepts. You get a token and a ready program, and then watch its
        first message arrive.
      </Typography>
      <Button variant="contained" color="primary" component={Link} to="/devices/new">
        Begin
      </Button>
    </Box>
  );
}

/** Of fewer devices than this everything is in sight. */
const FEW = 6;

function isFound(
  { id, name, kindTitle, labels, openEvents, presence }: Device,
  find: string,
  only: string,
): boolean {
  if (only === 'trouble' && openEvents === 0) return false;
  if (only === 'quiet' && presence.state !== 'quiet') return false;
  const text = find.trim().toLowerCase();
  return text === '' || [id, name, kindTitle, ...labels].some((one) => one.toLowerCase().includes(text));
}
