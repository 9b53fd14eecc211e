import { Box, Button, TextField } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { readLocation, showLocation } from '@peatmoor/core';
import type { Device, DeviceChange } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { Notice } from '../parts/Notice';
import { fieldsIn, troubleOf } from '../parts/problems';
import { ink } from '../theme';
import { DevicePicture } from './DevicePicture';

/** Name, labels, place and notes of a device, kept when a field is left; what the board says of itself; what is behind it. */
export function Facts({ device }: { device: Device }): ReactNode {
  const change = useChange('changeDevice', ['readDevice', 'listDevices', 'overview']);
  const [wrongPlace, setWrongPlace] = useState<string | null>(null);
  const trouble = troubleOf(change.error);
  const labelField = fieldsIn(change.error).find((field) => field.startsWith('labels')) ?? 'labels';
  const keep = (body: DeviceChange): void => change.mutate({ params: { device: device.id }, body });
  const keepPlace = (text: string): void => {
    const place = text.trim() === '' ? null : readLocation(text, 'place');
    if (place !== null && 'reason' in place) return setWrongPlace(place.hint);
    setWrongPlace(null);
    keep({ place });
  };
  return (
    <>
      <Box sx={{ display: 'grid', gap: 3, gridTemplateColumns: { sm: '1fr 1fr 1fr' } }}>
        <TextField
          label="Name"
          {...trouble('name')}
          defaultValue={device.name}
          onBlur={({ target }) => target.value.trim() !== device.name && keep({ name: target.value })}
        />
        <TextField
          label="Labels, with commas between"
          {...trouble(labelField)}
          placeholder="moss, north"
          defaultValue={device.labels.join(', ')}
          onBlur={({ target }) => keep({ labels: wordsOf(target.value) })}
        />
        <TextField
          label="Place, degrees north and east"
          placeholder="53.42, -1.86"
          defaultValue={device.place === null ? '' : showLocation(device.place)}
          onBlur={({ target }) => keepPlace(target.value)}
          error={wrongPlace !== null}
          helperText={wrongPlace}
        />
        <TextField
          sx={{ gridColumn: '1 / -1' }}
          label="Notes"
          multiline
          defaultValue={device.notes}
          onBlur={({ target }) => target.value !== device.notes && keep({ notes: target.value })}
        />
      </Box>
      <Notice error={change.error} beside={['name', labelField]} />
      <DevicePicture device={device} />
      <AboutLine device={device} />
      <Behind device={device} />
    </>
  );
}

const wordsOf = (text: string): string[] =>
  text
    .split(',')
    .map((word) => word.trim())
    .filter((word) => word !== '');

function AboutLine({ device: { about } }: { device: Device }): ReactNode {
  const said = [
    about.firmware && `firmware ${about.firmware}`,
    about.board,
    about.signal !== undefined && `signal ${about.signal} dBm`,
    about.battery !== undefined && `battery ${about.battery} %`,
  ].filter(Boolean);
  if (said.length === 0) return null;
  return <Box sx={{ mt: 2 }}>The board says of itself: {said.join(', ')}.</Box>;
}

/** The gateway a sub-device is behind, or the sub-devices behind a gateway. */
function Behind({ device }: { device: Device }): ReactNode {
  const devices = useRead('listDevices').data ?? [];
  const create = useChange('createDevice', ['listDevices', 'listKinds', 'overview']);
  const [adding, setAdding] = useState(false);
  const [name, setName] = useState('');
  const [serial, setSerial] = useState('');
  const [kindId, setKindId] = useState<number | ''>('');
  const kinds = useRead('listKinds').data ?? [];
  const subs = devices.filter(({ gateway }) => gateway === device.id);
  if (device.gateway !== null)
    return (
      <Box sx={{ mt: 2 }}>
        Reported for by <Link to={`/devices/${device.gateway}`}>{device.gateway}</Link>
        {device.serial && <>, which calls it “{device.serial}”</>}.
      </Box>
    );
  const add = (): void =>
    create.mutate(
      {
        body: {
          name,
          gateway: device.id,
          ...(serial.trim() !== '' && { serial }),
          ...(kindId === '' ? { newKind: { title: name, acceptNew: true } } : { kindId }),
        },
      },
      { onSuccess: () => (setName(''), setSerial('')) },
    );
  return (
    <Box sx={{ mt: 2 }}>
      Devices behind it: {subs.length === 0 ? 'none' : subs.length}{' '}
      <Button variant="text" aria-expanded={adding} onClick={() => setAdding(!adding)}>
        {adding ? 'Not now' : 'Add one'}
      </Button>
      {subs.map((sub) => (
        <Box key={sub.id} sx={{ py: 0.5, borderTop: `1px solid ${ink.faint}` }}>
          <Link to={`/devices/${sub.id}`}>{sub.name}</Link>{' '}
          <span style={{ color: ink.soft }}>{[sub.id, sub.serial].filter(Boolean).join(', ')}</span>
        </Box>
      ))}
      <Box
        component="form"
        hidden={!adding}
        onSubmit={(event) => (event.preventDefault(), name.trim() !== '' && add())}
        sx={{ display: adding ? 'flex' : 'none', flexWrap: 'wrap', gap: 2, alignItems: 'flex-end', mt: 1 }}
      >
        <TextField
          label="A device behind this one"
          placeholder="Well 7"
          value={name}
          onChange={({ target }) => setName(target.value)}
          sx={{ width: 200 }}
        />
        <TextField
          label="Its serial text"
          placeholder="as its radio names it"
          value={serial}
          onChange={({ target }) => setSerial(target.value)}
          sx={{ width: 180 }}
        />
        <TextField
          select
          label="Kind"
          value={kindId}
          onChange={({ target }) => setKindId(target.value === '' ? '' : Number(target.value))}
          sx={{ width: 220 }}
          slotProps={{ select: { native: true }, inputLabel: { shrink: true } }}
        >
          <option value="">a new one, from what arrives</option>
          {kinds.map(({ id, title }) => (
            <option key={id} value={id}>
              {title}
            </option>
          ))}
        </TextField>
        <Button type="submit">Add it</Button>
      </Box>
      <Notice error={create.error} />
    </Box>
  );
}
