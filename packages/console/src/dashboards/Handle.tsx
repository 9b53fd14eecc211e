import { ButtonBase } from '@mui/material';
import type { KeyboardEvent, ReactNode } from 'react';
import type { Place } from '@peatmoor/core';
import { ink } from '../theme';

const ARROWS: Record<string, [x: number, y: number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** By what a widget is moved: dragged, or with the arrow keys; with Shift they make it wider, narrower, taller and lower. */
export function Handle({
  title,
  place: { x, y, w, h },
  onShift,
}: {
  title: string;
  place: Place;
  onShift: (by: Partial<Place>) => void;
}): ReactNode {
  const press = (event: KeyboardEvent): void => {
    const arrow = ARROWS[event.key];
    if (arrow === undefined || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    onShift(event.shiftKey ? { w: arrow[0], h: arrow[1] } : { x: arrow[0], y: arrow[1] });
  };
  return (
    <ButtonBase
      className="widget-handle"
      onKeyDown={press}
      aria-label={`Move ${title}`}
      aria-description="The arrow keys move it; with Shift they change its size."
      sx={{
        flex: '1 1 0',
        minWidth: 110,
        justifyContent: 'flex-start',
        font: 'inherit',
        fontWeight: 650,
        fontSize: '0.95rem',
        cursor: 'move',
        gap: 0.75,
      }}
    >
      <span aria-hidden>⠿</span>
      <span style={{ overflow: 'hidden', textOverflow: 'ellipsis', whiteSpace: 'nowrap' }}>{title}</span>
      <span
        role="status"
        style={{ color: ink.soft, fontWeight: 400, fontSize: '0.8rem', whiteSpace: 'nowrap' }}
      >
        {`${x + 1}, ${y + 1} · ${w} × ${h}`}
      </span>
    </ButtonBase>
  );
}
