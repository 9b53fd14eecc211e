import type { WidgetType } from '@peatmoor/core';
import { bars } from './BarsWidget';
import { button } from './ButtonWidget';
import { chart } from './ChartWidget';
import type { DrawnWidget } from './drawn';
import { entry } from './EntryWidget';
import { events } from './EventsWidget';
import { gauge } from './GaugeWidget';
import { heading } from './HeadingWidget';
import { lamp } from './LampWidget';
import { log, pictures, track } from './LookBackWidget';
import { slider } from './SliderWidget';
import { onOffSwitch } from './SwitchWidget';
import { value } from './ValueWidget';

/** How each sort of widget is drawn. */
export const DRAWN: Readonly<Record<WidgetType, DrawnWidget>> = {
  gauge,
  value,
  lamp,
  chart,
  bars,
  switch: onOffSwitch,
  button,
  slider,
  entry,
  track,
  log,
  pictures,
  events,
  heading,
};
