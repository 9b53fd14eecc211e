import { Box, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { isNumeric, type Widget } from '@peatmoor/core';
import type { Device, Kind } from '@peatmoor/contract';
import { DAY_PERIOD } from '../charts/period';
import { DRAWN } from '../dashboards/widgets';

const Fields = DRAWN.heat.Body;

/** How often a device reported in each hour of the last two weeks: presence over time. */
export function WhenItReported({ device, kind }: { device: Device; kind: Kind }): ReactNode {
  const stream = kind.streams.find((one) => one.direction !== 'control' && isNumeric(one));
  if (stream === undefined)
    return <Typography color="textSecondary">It reports no number that could be counted.</Typography>;
  const source = { device, kind, stream };
  return (
    <Box sx={{ height: 290, maxWidth: 760 }}>
      <Fields
        widget={WIDGET}
        sources={[source]}
        all={[source]}
        period={DAY_PERIOD}
        onPeriod={() => undefined}
        editing={false}
      />
    </Box>
  );
}

const WIDGET: Widget = {
  id: 'reported',
  type: 'heat',
  title: '',
  sources: [],
  options: { days: 14, shows: 'count' },
  x: 0,
  y: 0,
  w: 12,
  h: 5,
};
