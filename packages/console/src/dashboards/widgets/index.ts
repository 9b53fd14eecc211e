import type { WidgetType } from '@peatmoor/core';
import { clock } from './ClockWidget';
import { device } from './DeviceWidget';
import { later } from '../../parts/later';
import type { DrawnWidget } from './drawn';
import { events } from './EventsWidget';
import { gauge } from './GaugeWidget';
import { heading } from './HeadingWidget';
import { lamp } from './LampWidget';
import { link } from './LinkWidget';
import { sheet } from './SheetWidget';
import { state } from './StateWidget';
import { text } from './TextWidget';
import { value } from './ValueWidget';

/** One that draws much or that few dashboards have: its file is fetched where it is shown, and other widgets do not wait for it. */
const apart = <Name extends string>(
  fetchFile: () => Promise<Record<Name, DrawnWidget>>,
  name: Name,
  phoneHeight: number,
): DrawnWidget => ({
  Body: later(() => fetchFile().then((file) => ({ Body: file[name].Body })), 'Body'),
  phoneHeight,
});
const lookBack = (): Promise<typeof import('./LookBackWidget')> => import('./LookBackWidget');

/** How each sort of widget is drawn. */
export const DRAWN: Readonly<Record<WidgetType, DrawnWidget>> = {
  gauge,
  value,
  lamp,
  state,
  chart: apart(() => import('./ChartWidget'), 'chart', 280),
  bars: apart(() => import('./BarsWidget'), 'bars', 240),
  heat: apart(() => import('./HeatWidget'), 'heat', 280),
  sheet,
  switch: apart(() => import('./SwitchWidget'), 'onOffSwitch', 132),
  button: apart(() => import('./ButtonWidget'), 'button', 132),
  slider: apart(() => import('./SliderWidget'), 'slider', 150),
  entry: apart(() => import('./EntryWidget'), 'entry', 132),
  timetable: apart(() => import('./TimetableWidget'), 'timetable', 190),
  track: apart(lookBack, 'track', 260),
  log: apart(lookBack, 'log', 240),
  pictures: apart(lookBack, 'pictures', 300),
  device,
  events,
  heading,
  text,
  link,
  clock,
  own: apart(() => import('./OwnWidget'), 'own', 240),
};
