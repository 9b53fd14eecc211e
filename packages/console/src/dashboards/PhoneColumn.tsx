import { Box, Button } from '@mui/material';
import type { ReactNode } from 'react';
import { movePhone, phoneOrder, phoneRows, WIDGETS, type PhonePlace, type Widget } from '@peatmoor/core';
import { useMoreAndMore } from '../parts/InSlices';
import { ink } from '../theme';
import { titleOf, type Shown } from './shown';
import { DRAWN } from './widgets';

/** How much taller or lower a widget gets with one press, in px. */
const HEIGHT_STEP = 40;
const LEAST_HEIGHT = 80;
const MOST_HEIGHT = 800;
/** Width in which what is entered can be read beside its button, in px. */
const LEAST_ENTRY = 140;

/** Height of a widget on the phone, in px. */
const heightOf = ({ type, phone }: Widget): number => phone?.height ?? DRAWN[type].phoneHeight;

/** The phone arrangement: one column, small widgets in pairs. While it is arranged, each says how it can stand. */
export function PhoneColumn({
  widgets,
  shown,
  onChange,
  render,
}: {
  widgets: Widget[];
  /** What each widget shows, for its name. */
  shown: (widget: Widget) => Shown;
  /** Given while the phone is arranged. */
  onChange?: ((change: (widgets: Widget[]) => Widget[]) => void) | undefined;
  render: (widget: Widget) => ReactNode;
}): ReactNode {
  const hidden = phoneOrder(widgets).filter(({ phone }) => phone?.hidden);
  const set = (id: string, change: PhonePlace): void =>
    onChange?.((all) =>
      all.map((one) => (one.id === id ? { ...one, phone: { ...one.phone, ...change } } : one)),
    );
  const rows = phoneRows(widgets).map((row) => ({ row, height: Math.max(...row.map(heightOf)) }));
  let top = 0;
  const inSight = rows.filter(({ height }) => (top += height) - height < window.innerHeight).length;
  const drawn = useMoreAndMore(inSight, rows.length);
  return (
    <Box sx={{ display: 'grid', gap: 2.5 }} data-arrangement="phone">
      {rows.map(({ row, height }, i) => (
        <Box
          key={row[0]!.id}
          sx={{
            display: 'grid',
            // On the narrowest phones three gauges would be too small to be read, and what is entered beside another.
            gridTemplateColumns:
              row.length > 2
                ? 'repeat(auto-fit, minmax(96px, 1fr))'
                : row.some(({ type }) => type === 'entry')
                  ? `repeat(auto-fit, minmax(${LEAST_ENTRY}px, 1fr))`
                  : `repeat(${row.length}, minmax(0, 1fr))`,
            gap: row.length > 2 ? 1 : 2.5,
          }}
        >
          {row.map((widget) => (
            <Box key={widget.id} sx={{ minWidth: 0 }}>
              <Box sx={{ height }}>{i < drawn && render(widget)}</Box>
              {onChange && (
                <PhoneTools
                  widget={widget}
                  title={titleOf(widget, shown(widget))}
                  onMove={(by) => onChange((all) => movePhone(all, widget.id, by))}
                  onSet={(change) => set(widget.id, change)}
                />
              )}
            </Box>
          ))}
        </Box>
      ))}
      {onChange && hidden.length > 0 && (
        <Box sx={{ borderTop: `1px solid ${ink.line}`, pt: 1.5 }}>
          Not on the phone:
          {hidden.map((widget) => (
            <Button
              key={widget.id}
              size="small"
              sx={{ ml: 1, mb: 1 }}
              onClick={() => set(widget.id, { hidden: false })}
            >
              Show {titleOf(widget, shown(widget))}
            </Button>
          ))}
        </Box>
      )}
    </Box>
  );
}

function PhoneTools({
  widget,
  title,
  onMove,
  onSet,
}: {
  widget: Widget;
  title: string;
  onMove: (by: -1 | 1) => void;
  onSet: (change: PhonePlace) => void;
}): ReactNode {
  const isFull =
    (widget.phone?.width ?? (WIDGETS[widget.type].phone === 'full' ? 'full' : 'half')) === 'full';
  const height = heightOf(widget);
  const tools: [string, string, () => void, boolean?][] = [
    ['↑', `${title}: further up`, () => onMove(-1)],
    ['↓', `${title}: further down`, () => onMove(1)],
    [
      isFull ? '½' : '1',
      `${title}: ${isFull ? 'half as wide' : 'over the full width'}`,
      () => onSet({ width: isFull ? 'half' : 'full' }),
    ],
    ['−', `${title}: lower`, () => onSet({ height: height - HEIGHT_STEP }), height <= LEAST_HEIGHT],
    ['+', `${title}: taller`, () => onSet({ height: height + HEIGHT_STEP }), height >= MOST_HEIGHT],
    ['Hide', `${title}: not on the phone`, () => onSet({ hidden: true })],
  ];
  return (
    <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 0.5, mt: 0.75 }}>
      {tools.map(([sign, words, act, disabled = false]) => (
        <Button
          key={sign}
          size="small"
          aria-label={words}
          disabled={disabled}
          onClick={act}
          sx={{ minWidth: 34, minHeight: 34, px: 1 }}
        >
          {sign}
        </Button>
      ))}
    </Box>
  );
}
