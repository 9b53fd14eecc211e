import { Box, Button, TextField } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { readLocation, showLocation } from '@peatmoor/core';
import type { Device, DeviceChange } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { Notice } from '../parts/Notice';
import { KeptField } from '../parts/KeptField';
import { WrongHereError } from '../parts/again';
import { ink } from '../theme';
import { DevicePicture } from './DevicePicture';

/** Name, labels, place and notes of a device, kept when a field is left; what the board says of itself; what is behind it. */
export function Facts({ device }: { device: Device }): ReactNode {
  const change = useChange('changeDevice', ['readDevice', 'listDevices', 'overview']);
  const keep = (body: DeviceChange): Promise<unknown> =>
    change.mutateAsync({ params: { device: device.id }, body });
  const keepPlace = async (text: string): Promise<unknown> => {
    const place = text.trim() === '' ? null : readLocation(text, 'place');
    if (place !== null && 'reason' in place) throw new WrongHereError(place.hint);
    return keep({ place });
  };
  return (
    <>
      <Box sx={{ display: 'grid', gap: 3, gridTemplateColumns: { sm: '1fr 1fr 1fr' } }}>
        <KeptField label="Name" name="name" value={device.name} save={(name) => keep({ name })} />
        <KeptField
          label="Labels, with commas between"
          placeholder="moss, north"
          name="labels"
          value={device.labels.join(', ')}
          save={(text) => keep({ labels: wordsOf(text) })}
        />
        <KeptField
          label="Place, degrees north and east"
          placeholder="53.42, -1.86"
          name="place"
          value={device.place === null ? '' : showLocation(device.place)}
          save={keepPlace}
        />
        <KeptField
          sx={{ gridColumn: '1 / -1' }}
          label="Notes"
          multiline
          name="notes"
          value={device.notes}
          save={(notes) => keep({ notes })}
        />
      </Box>
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
