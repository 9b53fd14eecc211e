import { Box, Button, Dialog } from '@mui/material';
import type { ReactNode } from 'react';
import type { Widget } from '@peatmoor/core';
import type { Period } from '../charts/period';
import { TimeStrip } from '../charts/TimeStrip';
import type { Shown } from './shown';
import { WidgetFrame } from './WidgetFrame';

/** One widget over the whole page. */
export function Large({
  widget,
  sources,
  period,
  onPeriod,
  onClose,
}: {
  widget: Widget;
  sources: Shown;
  period: Period;
  onPeriod: (period: Period) => void;
  onClose: () => void;
}): ReactNode {
  return (
    <Dialog
      open
      onClose={onClose}
      fullScreen
      slotProps={{
        paper: {
          'aria-label': widget.title || sources[0]?.stream.title || 'Widget',
          'aria-labelledby': undefined,
        },
      }}
    >
      <Box sx={{ display: 'flex', justifyContent: 'flex-end', p: 2, pb: 0 }}>
        <Button onClick={onClose} autoFocus>
          Back to the dashboard
        </Button>
      </Box>
      <Box sx={{ flex: 1, minHeight: 0, px: { xs: 2, sm: 4 }, pb: 10, pt: 1 }}>
        <WidgetFrame widget={widget} sources={sources} period={period} onPeriod={onPeriod} arranging={null} />
      </Box>
      <TimeStrip period={period} onChange={onPeriod} />
    </Dialog>
  );
}
