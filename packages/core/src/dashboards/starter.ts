import { isControllable, isMeasured, isScalar, type Datastream } from '../readings/types';
import { COLUMNS, findPlace } from './arrange';
import { widgetsFor, type Widget, type WidgetSource } from './catalogue';
import { WIDGETS, type WidgetType } from './widgets';

/** Adds one widget of a type for each source, at free places; the list is returned whole. */
export function addWidgets(
  widgets: readonly Widget[],
  type: WidgetType,
  groups: readonly WidgetSource[][],
  newId: () => string,
  size: { w: number; h: number } = WIDGETS[type].size,
): Widget[] {
  const result = [...widgets];
  for (const sources of groups)
    result.push({ id: newId(), type, title: '', sources, options: {}, ...findPlace(result, size) });
  return result;
}

/**
 * A complete dashboard for one device (or, with `device` null, the chosen one): a gauge for each ranged number,
 * a chart for each unit, what steers for each control, lamps for booleans, and values for the rest.
 */
export function starterWidgets(streams: readonly Datastream[], device: string | null): Widget[] {
  let count = 0;
  const newId = (): string => `w${++count}`;
  const source = (stream: Datastream): WidgetSource => ({ device, stream: stream.key });
  const measured = streams.filter(isMeasured);
  const numeric = measured.filter(isScalar);
  const gauges = numeric.filter((stream) => stream.min !== null && stream.max !== null);
  const controls = streams.filter(isControllable);
  const lamps = measured.filter((stream) => stream.type === 'boolean' && !controls.includes(stream));
  const rest = measured.filter(
    (stream) => stream.type !== 'boolean' && !gauges.includes(stream) && !controls.includes(stream),
  );
  let widgets: Widget[] = [];
  widgets = addWidgets(
    widgets,
    'gauge',
    gauges.map((stream) => [source(stream)]),
    newId,
  );
  for (const group of unitGroups(numeric)) {
    const free = COLUMNS - ((gauges.length * 2) % COLUMNS);
    const first = widgets.every((widget) => widget.type !== 'chart');
    const size = first && free >= 4 && free < COLUMNS ? { w: free, h: 5 } : WIDGETS.chart.size;
    widgets = addWidgets(widgets, 'chart', [group.map(source)], newId, size);
  }
  for (const stream of controls) {
    const type = widgetsFor(stream).find((one) => WIDGETS[one].controls);
    if (type !== undefined) widgets = addWidgets(widgets, type, [[source(stream)]], newId);
  }
  widgets = addWidgets(
    widgets,
    'lamp',
    lamps.map((stream) => [source(stream)]),
    newId,
  );
  return addWidgets(
    widgets,
    'value',
    rest.map((stream) => [source(stream)]),
    newId,
  );
}

function unitGroups(streams: readonly Datastream[]): Datastream[][] {
  const groups = new Map<string, Datastream[]>();
  for (const stream of streams) {
    const unit = stream.unit ?? '';
    groups.set(unit, [...(groups.get(unit) ?? []), stream]);
  }
  return [...groups.values()];
}
