import { Box, Checkbox, FormControlLabel, MenuItem, TextField, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { isNumeric, type Widget } from '@peatmoor/core';
import { PERIODS } from '../charts/period';
import { usePeriod } from '../charts/usePeriod';
import { TimeStrip } from '../charts/TimeStrip';
import { DRAWN } from '../dashboards/widgets';
import { useCatalogue } from '../dashboards/useCatalogue';
import { Heading } from '../parts/Heading';
import { useAddress } from '../parts/useAddress';
import { ink } from '../theme';
import { OtherHistory } from '../history/OtherHistory';

/** Looking back at one device: a chart for each datastream chosen. */
export function History(): ReactNode {
  const catalogue = useCatalogue(null);
  const [chosen, setChosen] = useAddress('device');
  const [without, setWithout] = useAddress('without');
  const [period, setPeriod] = usePeriod(PERIODS[2]);
  if (catalogue === null) return null;
  const device = catalogue.devices.find(({ id }) => id === chosen) ?? catalogue.devices[0];
  if (device === undefined) return <Heading title="History" below="There is no device yet." />;
  const streams =
    catalogue.kinds
      .find(({ id }) => id === device.kindId)
      ?.streams.filter(({ direction }) => direction !== 'control') ?? [];
  const hidden = new Set(without.split(',').filter(Boolean));
  const toggle = (key: string): void =>
    setWithout((hidden.has(key) ? [...hidden].filter((one) => one !== key) : [...hidden, key]).join());
  return (
    <>
      <Heading title="History" />
      <Box sx={{ display: 'flex', flexWrap: 'wrap', columnGap: 4, rowGap: 2, alignItems: 'flex-end', mb: 3 }}>
        <TextField
          select
          label="Device"
          value={device.id}
          onChange={({ target }) => setChosen(target.value)}
          sx={{ maxWidth: 300 }}
        >
          {catalogue.devices.map(({ id, name }) => (
            <MenuItem key={id} value={id}>
              {name}
            </MenuItem>
          ))}
        </TextField>
        <Box>
          {streams.map(({ key, title }) => (
            <FormControlLabel
              key={key}
              control={<Checkbox size="small" checked={!hidden.has(key)} onChange={() => toggle(key)} />}
              label={title}
            />
          ))}
        </Box>
      </Box>
      {streams
        .filter(({ key }) => !hidden.has(key))
        .map((stream) => {
          if (!isNumeric(stream))
            return (
              <Box key={stream.key} sx={{ borderTop: `1px solid ${ink.line}`, py: 1.5 }}>
                <OtherHistory device={device.id} stream={stream} period={period} />
              </Box>
            );
          const source = catalogue.find({ device: device.id, stream: stream.key }, null);
          return (
            <Box
              key={stream.key}
              sx={{
                borderTop: `1px solid ${ink.line}`,
                py: 1.5,
                height: stream.type === 'boolean' ? 130 : 220,
              }}
            >
              {source && (
                <Chart
                  widget={{ ...PLAIN, id: stream.key }}
                  sources={[source]}
                  period={period}
                  editing={false}
                />
              )}
            </Box>
          );
        })}
      {streams.length === 0 && <Typography color="text.secondary">This device reports nothing.</Typography>}
      <TimeStrip period={period} onChange={setPeriod} />
    </>
  );
}

const Chart = DRAWN.chart.Body;
const PLAIN: Widget = {
  id: '',
  type: 'chart',
  title: '',
  sources: [],
  options: {},
  x: 0,
  y: 0,
  w: 12,
  h: 4,
};
