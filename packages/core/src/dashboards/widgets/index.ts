import { bars } from './bars';
import { button } from './button';
import { chart } from './chart';
import { entry } from './entry';
import { events } from './events';
import { gauge } from './gauge';
import { heading } from './heading';
import { lamp } from './lamp';
import { log } from './log';
import { pictures } from './pictures';
import { slider } from './slider';
import type { WidgetSort } from './sort';
import { onOffSwitch } from './switch';
import { track } from './track';
import { value } from './value';

export { BAR_STEPS, BAR_VALUES } from './bars';
export * from './sort';

/** Every sort of widget, in the order in which they are offered. Adding one is a file and a line here. */
const SORTS = [
  gauge,
  value,
  lamp,
  chart,
  bars,
  onOffSwitch,
  button,
  slider,
  entry,
  track,
  log,
  pictures,
  events,
  heading,
] as const;

export type WidgetType = (typeof SORTS)[number]['type'];
export const WIDGET_TYPES: readonly WidgetType[] = SORTS.map(({ type }) => type);
export const WIDGETS = Object.fromEntries(
  SORTS.map((sort): [string, WidgetSort] => [sort.type, sort]),
) as Readonly<Record<WidgetType, WidgetSort>>;
