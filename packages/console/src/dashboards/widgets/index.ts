import type { WidgetType } from '@peatmoor/core';
import { chart } from './ChartWidget';
import type { DrawnWidget } from './drawn';
import { gauge } from './GaugeWidget';
import { lamp } from './LampWidget';
import { onOffSwitch } from './SwitchWidget';
import { value } from './ValueWidget';

/** How each sort of widget is drawn. */
export const DRAWN: Readonly<Record<WidgetType, DrawnWidget>> = {
  gauge,
  value,
  lamp,
  chart,
  switch: onOffSwitch,
};
