import { counted } from '@peatmoor/core';
import type { Device } from '@peatmoor/contract';
import { Box, Button, MenuItem, TextField, Typography } from '@mui/material';
import { useCallback, useEffect, useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { useChange, useRead } from '../api';
import { DeviceLine } from '../devices/DeviceLine';
import { ManyDevices } from '../devices/ManyDevices';
import { SeveralDevices } from '../devices/SeveralDevices';
import { usePresent } from '../devices/usePresent';
import { troubleOfDevice } from '../devices/trouble';
import { liveStore } from '../live';
import { FindField } from '../parts/FindField';
import { Heading, Section } from '../parts/Heading';
import { KindMark } from '../parts/KindMark';
import { Notice } from '../parts/Notice';
import { useAddress } from '../parts/useAddress';
import { useMay } from '../parts/useMay';
import { MONO } from '../theme';

/** Devices that are drawn at once; a search finds the others. */
const MOST_DRAWN = 200;
const ORDERS = {
  kind: 'by kind',
  name: 'by name',
  trouble: 'troubled ones first',
  seen: 'last seen first',
} as const;
type Order = keyof typeof ORDERS;

/** All devices, found by words, in an order of one's choice, several of them dealt with at once; and whose a token is. */
export function Devices(): ReactNode {
  const devices = useRead('listDevices');
  const kinds = useRead('listKinds');
  const mayChange = useMay('change');
  const mayLook = useMay('look');
  const [find, setFind] = useAddress('find');
  const [orderText, setOrder] = useAddress('order');
  const order: Order = orderText in ORDERS ? (orderText as Order) : 'kind';
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const choose = useCallback(
    (id: string, on: boolean) =>
      setChosen((before) => new Set(on ? [...before, id] : [...before].filter((one) => one !== id))),
    [],
  );
  useEffect(() => devices.data && liveStore.seed(devices.data), [devices.data]);
  const all = usePresent(devices.data, kinds.data);
  const words = find.trim().toLowerCase().split(/\s+/);
  const found = all
    .filter(({ id, name, kindTitle, labels, presence, openEvents }) => {
      const text = [id, name, kindTitle, ...labels, presence.state, openEvents > 0 ? 'open' : '']
        .join(' ')
        .toLowerCase();
      return words.every((word) => text.includes(word));
    })
    .sort(COMPARE[order]);
  const drawn = found.slice(0, MOST_DRAWN);
  const line = (device: Device): ReactNode => (
    <DeviceLine
      key={device.id}
      device={device}
      kind={kinds.data?.find(({ id }) => id === device.kindId)}
      chosen={mayChange ? chosen.has(device.id) : null}
      onChoose={choose}
    />
  );
  const picked = all.filter(({ id }) => chosen.has(id));
  return (
    <>
      <Heading
        title="Devices"
        below={`${counted(all.length, 'device')} of ${counted(kinds.data?.length ?? 0, 'kind')}.`}
      >
        {mayLook && (
          <Button component={Link} to="/arrivals">
            All arrivals
          </Button>
        )}
        {mayChange && (
          <Button variant="contained" color="primary" component={Link} to="/devices/new">
            Add a device
          </Button>
        )}
      </Heading>
      <Notice error={devices.error ?? kinds.error} />
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 3, alignItems: 'flex-end', mb: 1 }}>
        <FindField
          label="Find"
          placeholder="a name, a kind, a label, quiet, open"
          value={find}
          onFind={setFind}
          sx={{ maxWidth: 300 }}
        />
        <TextField
          select
          label="Order"
          value={order}
          onChange={({ target }) => setOrder(target.value === 'kind' ? '' : target.value)}
          sx={{ maxWidth: 200 }}
        >
          {Object.entries(ORDERS).map(([name, title]) => (
            <MenuItem key={name} value={name}>
              {title}
            </MenuItem>
          ))}
        </TextField>
        {mayChange && drawn.length > 1 && (
          <Button onClick={() => setChosen(new Set(drawn.map(({ id }) => id)))}>
            Choose {drawn.length === all.length ? 'all' : `these ${drawn.length}`}
          </Button>
        )}
      </Box>
      {picked.length > 0 && (
        <SeveralDevices devices={picked} kinds={kinds.data ?? []} onDone={() => setChosen(new Set())} />
      )}
      {order === 'kind'
        ? kinds.data
            ?.filter(
              ({ id, devices: count }) =>
                drawn.some(({ kindId }) => kindId === id) || (count === 0 && find === ''),
            )
            .map((kind) => (
              <Section
                key={kind.id}
                title={kind.title}
                mark={<KindMark icon={kind.icon} />}
                note={
                  <>
                    {counted(kind.streams.length, 'datastream')}, every {kind.intervalS} s.{' '}
                    <Link to={`/kinds/${kind.id}`}>Look at the kind</Link>
                    {' · '}
                    <Link to={`/devices/new?kind=${kind.id}`}>Add another like it</Link>
                  </>
                }
              >
                {drawn.filter(({ kindId }) => kindId === kind.id).map(line)}
                {kind.devices === 0 && (
                  <Typography color="textSecondary">
                    No device of this kind yet; everything can be prepared before there is one.
                  </Typography>
                )}
              </Section>
            ))
        : drawn.map(line)}
      {found.length > MOST_DRAWN && (
        <Typography color="textSecondary" sx={{ mt: 2 }}>
          {found.length - MOST_DRAWN} more; type a part of a name.
        </Typography>
      )}
      {all.length > 0 && found.length === 0 && <Typography color="textSecondary">No device fits.</Typography>}
      {kinds.data?.length === 0 && <Typography>No devices yet.</Typography>}
      {mayLook && <WhoseToken />}
      {mayChange && <ManyDevices />}
    </>
  );
}

const byName = (a: Device, b: Device): number => a.name.localeCompare(b.name);
const COMPARE: Record<Order, (a: Device, b: Device) => number> = {
  kind: byName,
  name: byName,
  trouble: (a, b) => troubleOfDevice(b) - troubleOfDevice(a) || byName(a, b),
  seen: (a, b) => (b.lastSeenAt ?? 0) - (a.lastSeenAt ?? 0) || byName(a, b),
};

function WhoseToken(): ReactNode {
  const [text, setText] = useState('');
  const whose = useChange('whoseToken');
  return (
    <Section title="Whose token is this?" note="Paste a device token, whole or in part.">
      <Box
        component="form"
        onSubmit={(event) => (event.preventDefault(), whose.mutate({ body: { text } }))}
        sx={{ display: 'flex', gap: 2, alignItems: 'flex-end', maxWidth: 620 }}
      >
        <TextField
          label="Token"
          value={text}
          onChange={(event) => setText(event.target.value)}
          slotProps={{ htmlInput: { style: { fontFamily: MONO } }, inputLabel: { shrink: true } }}
          autoComplete="off"
        />
        <Button type="submit" disabled={text.trim() === ''}>
          Tell
        </Button>
      </Box>
      <Notice error={whose.error} />
      {whose.data && (
        <Notice tone={whose.data.state === 'in-use' ? 'good' : 'problem'}>
          {whose.data.explanation}
          {whose.data.deviceId && (
            <>
              {' '}
              <Link to={`/devices/${whose.data.deviceId}`}>{whose.data.deviceName}</Link>
            </>
          )}
        </Notice>
      )}
    </Section>
  );
}
