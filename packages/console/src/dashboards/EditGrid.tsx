import 'react-grid-layout/css/styles.css';
import { Box } from '@mui/material';
import { useRef, type ReactNode } from 'react';
import ReactGridLayout, { useContainerWidth, verticalCompactor, type Layout } from 'react-grid-layout';
import { COLUMNS, WIDGETS, type Place, type Widget } from '@peatmoor/core';
import { COLUMN_GAP_PX, ROW_GAP_PX, ROW_PX } from './grid';

/** The wide arrangement while it is edited: widgets are moved and made larger. */
export function EditGrid({
  widgets,
  onMove,
  render,
}: {
  widgets: Widget[];
  onMove: (places: Map<string, Place>) => void;
  render: (widget: Widget) => ReactNode;
}): ReactNode {
  const { width, containerRef, mounted } = useContainerWidth();
  const moved = useRef(false);
  const layout = widgets.map(({ id, type, x, y, w, h }) => ({
    i: id,
    x,
    y,
    w,
    h,
    minW: WIDGETS[type].least.w,
    minH: WIDGETS[type].least.h,
  }));
  const changed = (next: Layout): void => {
    if (!moved.current) return;
    moved.current = false;
    onMove(new Map(next.map(({ i, x, y, w, h }) => [i, { x, y, w, h }])));
  };
  const stopped = (): void => {
    moved.current = true;
  };
  return (
    <Box ref={containerRef} data-arrangement="wide">
      {mounted && (
        <ReactGridLayout
          width={width}
          layout={layout}
          gridConfig={{
            cols: COLUMNS,
            rowHeight: ROW_PX,
            margin: [COLUMN_GAP_PX, ROW_GAP_PX],
            containerPadding: [0, 0],
          }}
          dragConfig={{ enabled: true, handle: '.widget-handle', cancel: '.widget-tools' }}
          resizeConfig={{ enabled: true, handles: ['se'] }}
          compactor={verticalCompactor}
          onDragStop={stopped}
          onResizeStop={stopped}
          onLayoutChange={changed}
        >
          {widgets.map((widget) => (
            <div key={widget.id}>{render(widget)}</div>
          ))}
        </ReactGridLayout>
      )}
    </Box>
  );
}
