import { isControllable, isScalar, VALUE_TYPES, type Datastream, type ValueType } from '../readings/types';

export const WIDGET_TYPES = ['gauge', 'value', 'lamp', 'chart', 'switch'] as const;
export type WidgetType = (typeof WIDGET_TYPES)[number];

/** Where a widget takes its value: a datastream of a device, or of the chosen device (null). */
export interface WidgetSource {
  device: string | null;
  stream: string;
}

/** A place on the wide arrangement: twelve columns, rows of equal height. */
export interface Place {
  x: number;
  y: number;
  w: number;
  h: number;
}

export interface Widget extends Place {
  /** Unique within its dashboard. */
  id: string;
  type: WidgetType;
  /** Shown above the widget; empty shows the datastream's title. */
  title: string;
  sources: WidgetSource[];
  /** Range of the scale; null takes the datastream's. */
  min: number | null;
  max: number | null;
}

/** What a widget of a type can show, its size when new, and the least it can be. */
export interface WidgetFacts {
  title: string;
  purpose: string;
  takes: readonly ValueType[];
  controls: boolean;
  mostSources: number;
  size: { w: number; h: number };
  least: { w: number; h: number };
}

export const WIDGETS: Record<WidgetType, WidgetFacts> = {
  gauge: {
    title: 'Gauge',
    purpose: 'one value on a graduated staff',
    takes: ['number', 'integer'],
    controls: false,
    mostSources: 1,
    size: { w: 2, h: 5 },
    least: { w: 2, h: 4 },
  },
  value: {
    title: 'Value',
    purpose: 'one value in large figures',
    takes: VALUE_TYPES,
    controls: false,
    mostSources: 1,
    size: { w: 3, h: 2 },
    least: { w: 2, h: 2 },
  },
  lamp: {
    title: 'Lamp',
    purpose: 'on or off',
    takes: ['boolean'],
    controls: false,
    mostSources: 1,
    size: { w: 2, h: 2 },
    least: { w: 2, h: 2 },
  },
  chart: {
    title: 'Line chart',
    purpose: 'values over the period of the time strip',
    takes: ['number', 'integer', 'boolean'],
    controls: false,
    mostSources: 8,
    size: { w: 6, h: 5 },
    least: { w: 3, h: 3 },
  },
  switch: {
    title: 'Switch',
    purpose: 'tells the device on or off, and shows whether it did',
    takes: ['boolean'],
    controls: true,
    mostSources: 1,
    size: { w: 3, h: 2 },
    least: { w: 2, h: 2 },
  },
};

/** True where a widget of this type can show, or steer, this datastream. */
export function widgetFits(type: WidgetType, stream: Pick<Datastream, 'type' | 'direction'>): boolean {
  const facts = WIDGETS[type];
  return facts.takes.includes(stream.type) && (!facts.controls || isControllable(stream));
}

/** The widget types that fit a datastream, the most telling first. */
export function widgetsFor(stream: Pick<Datastream, 'type' | 'direction' | 'min' | 'max'>): WidgetType[] {
  const liking: WidgetType[] =
    stream.type === 'boolean'
      ? ['switch', 'lamp', 'value', 'chart']
      : isScalar(stream) && stream.min !== null && stream.max !== null
        ? ['gauge', 'chart', 'value']
        : ['value', 'chart', 'gauge'];
  return liking.filter((type) => widgetFits(type, stream));
}
