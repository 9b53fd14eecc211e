import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { COLUMNS, type Widget } from '@peatmoor/core';
import { useMoreAndMore } from '../parts/InSlices';
import { COLUMN_GAP_PX, ROW_GAP_PX, ROW_PX } from './grid';

/** The wide arrangement as it is looked at. */
export function WideGrid({
  widgets,
  render,
  rowPx = ROW_PX,
}: {
  widgets: Widget[];
  render: (widget: Widget) => ReactNode;
  /** Height of a row, in px. */
  rowPx?: number;
}): ReactNode {
  // Read in the order in which they stand.
  const ordered = [...widgets].sort((a, b) => a.y - b.y || a.x - b.x);
  const isNear = ({ y }: Widget): boolean => y * (rowPx + ROW_GAP_PX) < window.innerHeight;
  const drawn = useMoreAndMore(ordered.filter(isNear).length, ordered.length);
  return (
    <Box
      data-arrangement="wide"
      sx={{
        display: 'grid',
        gridTemplateColumns: `repeat(${COLUMNS}, minmax(0, 1fr))`,
        gridAutoRows: `${rowPx}px`,
        columnGap: `${COLUMN_GAP_PX}px`,
        rowGap: `${ROW_GAP_PX}px`,
      }}
    >
      {ordered.map((widget, i) => (
        <div
          key={widget.id}
          style={{
            gridColumn: `${widget.x + 1} / span ${widget.w}`,
            gridRow: `${widget.y + 1} / span ${widget.h}`,
            minWidth: 0,
            // What is out of sight is not laid out.
            contentVisibility: 'auto',
          }}
        >
          {i < drawn && render(widget)}
        </div>
      ))}
    </Box>
  );
}
