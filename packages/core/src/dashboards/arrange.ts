import { WIDGETS, type Place, type Widget } from './catalogue';

/** Columns of the wide arrangement. */
export const COLUMNS = 12;

/** True where two places share a cell. */
export function overlaps(a: Place, b: Place): boolean {
  return a.x < b.x + b.w && b.x < a.x + a.w && a.y < b.y + b.h && b.y < a.y + a.h;
}

/** The first free place for something of this size, row by row from the top left. */
export function findPlace(taken: readonly Place[], size: { w: number; h: number }): Place {
  const w = Math.min(size.w, COLUMNS);
  const bottom = taken.reduce((lowest, place) => Math.max(lowest, place.y + place.h), 0);
  for (let y = 0; y <= bottom; y++)
    for (let x = 0; x + w <= COLUMNS; x++) {
      const place = { x, y, w, h: size.h };
      if (!taken.some((other) => overlaps(place, other))) return place;
    }
  return { x: 0, y: bottom, w, h: size.h };
}

/** One row of the phone arrangement: one widget over the full width, or two small ones beside each other. */
export type PhoneRow = [Widget] | [Widget, Widget];

/**
 * Derives the phone arrangement from the wide one: in reading order, charts over the full width, small widgets
 * (lamps, values, gauges, switches) in pairs.
 */
export function phoneRows(widgets: readonly Widget[]): PhoneRow[] {
  const inOrder = [...widgets].sort((a, b) => a.y - b.y || a.x - b.x);
  const rows: PhoneRow[] = [];
  let waiting: Widget | null = null;
  for (const widget of inOrder) {
    if (widget.type === 'chart') {
      if (waiting !== null) rows.push([waiting]);
      rows.push([widget]);
      waiting = null;
    } else if (waiting !== null && (waiting.type === 'gauge') === (widget.type === 'gauge')) {
      rows.push([waiting, widget]);
      waiting = null;
    } else {
      if (waiting !== null) rows.push([waiting]);
      waiting = widget;
    }
  }
  if (waiting !== null) rows.push([waiting]);
  return rows;
}

/** Brings a widget's place within the twelve columns and above its least size. */
export function fitPlace(widget: Widget): Widget {
  const { least } = WIDGETS[widget.type];
  const w = Math.min(COLUMNS, Math.max(least.w, Math.round(widget.w)));
  const h = Math.min(40, Math.max(least.h, Math.round(widget.h)));
  const x = Math.min(COLUMNS - w, Math.max(0, Math.round(widget.x)));
  return { ...widget, x, y: Math.max(0, Math.round(widget.y)), w, h };
}
