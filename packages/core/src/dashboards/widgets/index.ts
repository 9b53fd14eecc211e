import { bars } from './bars';
import { button } from './button';
import { chart } from './chart';
import { clock } from './clock';
import { device } from './device';
import { entry } from './entry';
import { events } from './events';
import { gauge } from './gauge';
import { heading } from './heading';
import { heat } from './heat';
import { lamp } from './lamp';
import { link } from './link';
import { log } from './log';
import { own } from './own';
import { pictures } from './pictures';
import { sheet } from './sheet';
import { slider } from './slider';
import type { WidgetSort } from './sort';
import { state } from './state';
import { onOffSwitch } from './switch';
import { text } from './text';
import { timetable } from './timetable';
import { track } from './track';
import { value } from './value';

export { BAR_STEPS, BAR_VALUES } from './bars';
export { lampLook, type LampLook } from './lamp';
export { CHART_DRAWS, type ChartDraws } from './chart';
export { GAUGE_SHAPES, type GaugeShape } from './gauge';
export * from './sort';

/** Every sort of widget, in the order in which they are offered. Adding one is a file and a line here. */
const SORTS = [
  gauge,
  value,
  lamp,
  state,
  chart,
  bars,
  heat,
  sheet,
  onOffSwitch,
  button,
  slider,
  entry,
  timetable,
  track,
  log,
  pictures,
  device,
  events,
  heading,
  text,
  link,
  clock,
  own,
] as const;

export type WidgetType = (typeof SORTS)[number]['type'];
export const WIDGET_TYPES: readonly WidgetType[] = SORTS.map(({ type }) => type);
export const WIDGETS = Object.fromEntries(
  SORTS.map((sort): [string, WidgetSort] => [sort.type, sort]),
) as Readonly<Record<WidgetType, WidgetSort>>;
