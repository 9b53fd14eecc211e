import type { Place, Widget } from './catalogue';
import { WIDGETS, type WidgetSort } from './widgets';

/** Columns of the wide arrangement. */
export const COLUMNS = 12;
/** The last row in which a widget may begin. */
export const LAST_ROW = 1000;

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

/** Widgets in the order in which they are read on a phone: as their maker ordered them, else row by row; new ones at the end. */
export function phoneOrder(widgets: readonly Widget[]): Widget[] {
  const placeOf = ({ phone }: Widget): number => phone?.order ?? Infinity;
  return [...widgets].sort((a, b) => {
    const [first, second] = [placeOf(a), placeOf(b)];
    return first === second ? a.y - b.y || a.x - b.x : first - second;
  });
}

/** A widget's group on the phone: alone over the full width, or beside others of its height. */
function phoneGroup({ type, phone }: Widget): WidgetSort['phone'] | 'half' {
  if (phone?.width === 'full') return 'full';
  const usual = WIDGETS[type].phone;
  return phone?.width === 'half' && usual === 'full' ? 'half' : usual;
}

/**
 * Derives the phone arrangement from the wide one: in reading order, some widgets over the full width, those of one height
 * (tall ones, low ones) in pairs, and three where one tall one would be left over. What its maker said of a widget wins.
 */
export function phoneRows(widgets: readonly Widget[]): PhoneRow[] {
  const rows: PhoneRow[] = [];
  const group: Widget[] = [];
  const flush = (): void => {
    while (group.length > 0)
      rows.push(
        group.splice(
          0,
          phoneGroup(group[0]!) === 'tall' && group.length % 2 === 1 && group.length >= 3 ? 3 : 2,
        ),
      );
  };
  for (const widget of phoneOrder(widgets)) {
    if (widget.phone?.hidden) continue;
    if (group.length > 0 && phoneGroup(group[0]!) !== phoneGroup(widget)) flush();
    if (phoneGroup(widget) === 'full') rows.push([widget]);
    else group.push(widget);
  }
  flush();
  return rows;
}

/** Moves a widget up (-1) or down (1) on the phone; from then on the order there is its maker's. Of hidden ones it passes all. */
export function movePhone(widgets: readonly Widget[], id: string, by: -1 | 1): Widget[] {
  const order = phoneOrder(widgets);
  const from = order.findIndex((one) => one.id === id);
  let to = from + by;
  while (order[to]?.phone?.hidden) to += by;
  if (from < 0 || to < 0 || to >= order.length) return [...widgets];
  const [moved] = order.splice(from, 1);
  order.splice(to, 0, moved!);
  const places = new Map(order.map((one, i) => [one.id, i]));
  return widgets.map((one) => ({ ...one, phone: { ...one.phone, order: places.get(one.id)! } }));
}

/**
 * Moves or grows a widget on the wide arrangement by whole cells, and pushes down what it comes to lie on; then all move up
 * as far as there is room, as they do when they are dragged.
 */
export function shiftWidget(widgets: readonly Widget[], id: string, by: Partial<Place>): Widget[] {
  const moved = widgets.find((one) => one.id === id);
  if (moved === undefined) return [...widgets];
  const { x = 0, y = 0, w = 0, h = 0 } = by;
  const next = fitPlace({ ...moved, x: moved.x + x, y: moved.y + y, w: moved.w + w, h: moved.h + h });
  // What stands below it changes places with it, or it would fall back at once.
  const others = widgets.filter((one) => one.id !== id && (one.page ?? 0) === (moved.page ?? 0));
  const below = y > 0 ? others.filter((one) => overlaps(one, next) && one.y >= moved.y + moved.h) : [];
  const placed: Widget[] = [];
  const put = (widget: Widget): void => {
    let row = widget.y;
    while (row > 0 && !placed.some((one) => overlaps(one, { ...widget, y: row - 1 }))) row--;
    while (placed.some((one) => overlaps(one, { ...widget, y: row }))) row++;
    placed.push({ ...widget, y: row });
  };
  for (const one of below) put({ ...one, y: moved.y });
  const rest = others.filter((one) => !below.includes(one));
  const inOrder = [...rest, next].sort((a, b) => a.y - b.y || (a === next ? -1 : b === next ? 1 : a.x - b.x));
  for (const one of inOrder) put(one);
  const places = new Map(placed.map((one) => [one.id, one]));
  return widgets.map((one) => places.get(one.id) ?? one);
}

/**
 * Widgets as they can stand together on the wide arrangement: each within the columns and above its least size, and what would lie on
 * one that stands before it (row by row) below that. All else stays where it is; so does what would have no room below.
 */
export function keepApart(widgets: readonly Widget[]): Widget[] {
  const fitted = widgets.map(fitPlace);
  const rows = new Map<Widget, number>();
  const byPage = new Map<number, Place[]>();
  for (const widget of [...fitted].sort((a, b) => a.y - b.y || a.x - b.x)) {
    const { x, w, h, page = 0 } = widget;
    const before = byPage.get(page) ?? [];
    byPage.set(page, before);
    const place = { x, y: widget.y, w, h };
    for (;;) {
      const under = before.filter((one) => overlaps(one, place));
      if (under.length === 0) break;
      place.y = Math.max(...under.map((one) => one.y + one.h));
    }
    if (place.y > LAST_ROW) place.y = widget.y;
    before.push(place);
    rows.set(widget, place.y);
  }
  return fitted.map((widget) => ({ ...widget, y: rows.get(widget)! }));
}

/** Brings a widget's place within the twelve columns and above its least size. */
export function fitPlace(widget: Widget): Widget {
  const { least } = WIDGETS[widget.type];
  const w = Math.min(COLUMNS, Math.max(least.w, Math.round(widget.w)));
  const h = Math.min(40, Math.max(least.h, Math.round(widget.h)));
  const x = Math.min(COLUMNS - w, Math.max(0, Math.round(widget.x)));
  return { ...widget, x, y: Math.max(0, Math.round(widget.y)), w, h };
}
