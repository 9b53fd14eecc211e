import { Box, Button, MenuItem, TextField } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { exportPath, type ExportFormat } from '@peatmoor/contract';
import { under } from '../base';
import { useChange } from '../api';
import { Copyable } from '../parts/Copyable';
import { Notice } from '../parts/Notice';
import { ImportFile } from './ImportFile';
import { dates } from '../parts/time';

const FORMATS: [ExportFormat, string][] = [
  ['sheet', 'Sheet in local time'],
  ['csv', 'CSV'],
  ['json', 'JSON'],
  ['senml', 'SenML'],
  ['zip', 'ZIP with images'],
];
const PERIODS: [string, number | null][] = [
  ['the last day', 1],
  ['the last 7 days', 7],
  ['the last 30 days', 30],
  ['everything', null],
];

/** Takes the readings of a device away as a file or by a standing address, and brings others in. */
export function TakeAway({ device }: { device: string }): ReactNode {
  const [days, setDays] = useState<number | null>(7);
  const { zone } = dates();
  const key = useChange('createKey', ['listKeys']);
  const query = { zone, ...(days !== null && { days }) };
  const address =
    key.data &&
    location.origin + under(exportPath(device, { format: 'sheet', ...query, access_token: key.data.secret }));
  return (
    <>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'flex-end' }}>
        <TextField
          select
          label="Readings of"
          value={String(days)}
          onChange={({ target }) => setDays(target.value === 'null' ? null : Number(target.value))}
          sx={{ width: 190 }}
        >
          {PERIODS.map(([words, value]) => (
            <MenuItem key={words} value={String(value)}>
              {words}
            </MenuItem>
          ))}
        </TextField>
        {FORMATS.map(([format, words]) => (
          <Button key={format} component="a" href={under(exportPath(device, { format, ...query }))} download>
            {words}
          </Button>
        ))}
        <Button
          variant="text"
          disabled={key.isPending}
          onClick={() =>
            key.mutate({ body: { title: `sheet of ${device}`, scope: 'read-device', deviceId: device } })
          }
        >
          Make a standing address
        </Button>
      </Box>
      <Notice error={key.error} />
      {address && (
        <Copyable
          label="A spreadsheet or script can fetch the sheet here, now and later. Whoever has the address can read this device; it ends when its access key is ended under Settings."
          text={address}
        />
      )}
      <ImportFile device={device} />
    </>
  );
}
