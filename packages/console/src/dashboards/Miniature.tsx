import type { ReactNode } from 'react';
import { COLUMNS, WIDGETS, type Widget } from '@peatmoor/core';
import type { DashboardColour } from '@peatmoor/contract';
import { ink } from '../theme';

const CELL = 9;
const ROWS = 9;

/** A dashboard's first page, small: where its widgets stand. */
export function Miniature({
  widgets,
  colour,
}: {
  widgets: readonly Widget[];
  colour: DashboardColour;
}): ReactNode {
  return (
    <svg
      width={COLUMNS * CELL}
      height={ROWS * CELL * 0.7}
      viewBox={`0 0 ${COLUMNS * CELL} ${ROWS * CELL * 0.7}`}
      aria-hidden
      style={{ display: 'block', flex: 'none', borderBottom: `3px solid ${ink[colour]}` }}
    >
      {widgets
        .filter(({ page = 0, y }) => page === 0 && y < ROWS)
        .map(({ id, type, x, y, w, h }) => (
          <rect
            key={id}
            x={x * CELL + 1}
            y={y * CELL * 0.7 + 1}
            width={w * CELL - 2}
            height={Math.min(h, ROWS - y) * CELL * 0.7 - 2}
            fill={WIDGETS[type].controls ? ink.heather : ink[colour]}
            opacity={WIDGETS[type].phone === 'full' ? 0.28 : 0.5}
          />
        ))}
    </svg>
  );
}
