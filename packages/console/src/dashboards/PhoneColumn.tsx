import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { phoneRows, type Widget } from '@peatmoor/core';
import { DRAWN } from './widgets';

/** The phone arrangement: one column, small widgets in pairs. */
export function PhoneColumn({
  widgets,
  render,
}: {
  widgets: Widget[];
  render: (widget: Widget) => ReactNode;
}): ReactNode {
  return (
    <Box sx={{ display: 'grid', gap: 2.5 }}>
      {phoneRows(widgets).map((row) => (
        <Box
          key={row[0]!.id}
          sx={{
            display: 'grid',
            gridTemplateColumns: `repeat(${row.length}, minmax(0, 1fr))`,
            gap: row.length > 2 ? 1 : 2.5,
          }}
        >
          {row.map((widget) => (
            <Box
              key={widget.id}
              sx={{ height: Math.max(...row.map(({ type }) => DRAWN[type].phoneHeight)), minWidth: 0 }}
            >
              {render(widget)}
            </Box>
          ))}
        </Box>
      ))}
    </Box>
  );
}
