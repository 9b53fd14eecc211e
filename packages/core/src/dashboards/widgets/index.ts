import { chart } from './chart';
import { gauge } from './gauge';
import { lamp } from './lamp';
import type { WidgetSort } from './sort';
import { onOffSwitch } from './switch';
import { value } from './value';

export * from './sort';

/** Every sort of widget, in the order in which they are offered. Adding one is a file and a line here. */
const SORTS = [gauge, value, lamp, chart, onOffSwitch] as const;

export type WidgetType = (typeof SORTS)[number]['type'];
export const WIDGET_TYPES: readonly WidgetType[] = SORTS.map(({ type }) => type);
export const WIDGETS = Object.fromEntries(
  SORTS.map((sort): [string, WidgetSort] => [sort.type, sort]),
) as Readonly<Record<WidgetType, WidgetSort>>;
