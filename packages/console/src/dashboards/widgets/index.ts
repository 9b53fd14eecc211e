import type { WidgetType } from '@peatmoor/core';
import { bars } from './BarsWidget';
import { button } from './ButtonWidget';
import { chart } from './ChartWidget';
import { clock } from './ClockWidget';
import { device } from './DeviceWidget';
import type { DrawnWidget } from './drawn';
import { entry } from './EntryWidget';
import { events } from './EventsWidget';
import { gauge } from './GaugeWidget';
import { heading } from './HeadingWidget';
import { heat } from './HeatWidget';
import { lamp } from './LampWidget';
import { link } from './LinkWidget';
import { log, pictures, track } from './LookBackWidget';
import { own } from './OwnWidget';
import { sheet } from './SheetWidget';
import { slider } from './SliderWidget';
import { state } from './StateWidget';
import { onOffSwitch } from './SwitchWidget';
import { text } from './TextWidget';
import { timetable } from './TimetableWidget';
import { value } from './ValueWidget';

/** How each sort of widget is drawn. */
export const DRAWN: Readonly<Record<WidgetType, DrawnWidget>> = {
  gauge,
  value,
  lamp,
  state,
  chart,
  bars,
  heat,
  sheet,
  switch: onOffSwitch,
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
};
