import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { OtherHistory } from '../../history/OtherHistory';
import type { DrawnWidget, WidgetProps } from './drawn';
import { SampleNote } from './Sampled';

/** Places, texts or pictures over the period of the time strip. */
function LookBackBody({ sources: [{ device, stream }], period }: WidgetProps): ReactNode {
  if (device === null) return <SampleNote>{stream.title} of the chosen device</SampleNote>;
  return (
    <Box sx={{ height: '100%', overflowY: 'auto' }} tabIndex={0} role="group" aria-label={stream.title}>
      <OtherHistory device={device.id} stream={stream} period={period} untitled />
    </Box>
  );
}

export const track: DrawnWidget = { Body: LookBackBody, phoneHeight: 260 };
export const log: DrawnWidget = { Body: LookBackBody, phoneHeight: 240 };
export const pictures: DrawnWidget = { Body: LookBackBody, phoneHeight: 300 };
