import type { Place, Widget } from './catalogue';
import { WIDGETS, type WidgetSort } from './widgets';

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

/** One row of the phone arrangement: one widget over the full width, or small ones beside each other. */
export type PhoneRow = Widget[];

/**
 * Derives the phone arrangement from the wide one: in reading order, some widgets over the full width, those of one height
 * (tall ones, low ones) in pairs, and three where one tall one would be left over.
 */
export function phoneRows(widgets: readonly Widget[]): PhoneRow[] {
  const heightOf = ({ type }: Widget): WidgetSort['phone'] => WIDGETS[type].phone;
  const rows: PhoneRow[] = [];
  const group: Widget[] = [];
  const flush = (): void => {
    while (group.length > 0)
      rows.push(
        group.splice(
          0,
          heightOf(group[0]!) === 'tall' && group.length % 2 === 1 && group.length >= 3 ? 3 : 2,
        ),
      );
  };
  for (const widget of [...widgets].sort((a, b) => a.y - b.y || a.x - b.x)) {
    if (group.length > 0 && heightOf(group[0]!) !== heightOf(widget)) flush();
    if (heightOf(widget) === 'full') rows.push([widget]);
    else group.push(widget);
  }
  flush();
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
