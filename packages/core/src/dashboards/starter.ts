import { followed } from '../commands/follow';
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

/** Numbers that only count up, or are added up, tell more as a figure than on a scale. */
const isCount = ({ unit, computation }: Datastream): boolean =>
  unit === 'count' || computation?.form === 'sum' || computation?.form === 'counter';

/**
 * A complete dashboard for one device (or, with `device` null, the chosen one): a gauge for each number, a chart for each unit,
 * what steers for each control with the value that follows it beside it, lamps for booleans, and the rest.
 */
export function starterWidgets(streams: readonly Datastream[], device: string | null): Widget[] {
  let count = 0;
  const newId = (): string => `w${++count}`;
  const source = (stream: Datastream): WidgetSource => ({ device, stream: stream.key });
  const measured = streams.filter(isMeasured);
  const controls = streams.filter(isControllable);
  const numeric = measured.filter(isScalar);
  const gauges = numeric.filter((stream) => !isCount(stream) && !controls.includes(stream)).slice(0, 6);
  let widgets: Widget[] = [];
  const add = (type: WidgetType, shown: readonly Datastream[], size?: { w: number; h: number }): void => {
    widgets = addWidgets(
      widgets,
      type,
      shown.map((stream) => [source(stream)]),
      newId,
      size,
    );
  };
  add('gauge', gauges);
  for (const group of unitGroups(numeric.filter((stream) => !isCount(stream)))) {
    const free = COLUMNS - ((gauges.length * 2) % COLUMNS);
    const first = widgets.every((widget) => widget.type !== 'chart');
    const size = first && free >= 4 && free < COLUMNS ? { w: free, h: 5 } : WIDGETS.chart.size;
    widgets = addWidgets(widgets, 'chart', [group.map(source)], newId, size);
  }
  for (const stream of controls) {
    const type = widgetsFor(stream).find((one) => WIDGETS[one].controls);
    if (type !== undefined) add(type, [stream]);
    const follower = stream.follow === null ? undefined : followed(stream.follow, streams);
    if (follower !== undefined && !gauges.includes(follower) && !controls.includes(follower))
      add(follower.type === 'boolean' ? 'lamp' : 'value', [follower]);
  }
  const shown = new Set(widgets.flatMap(({ sources }) => sources.map(({ stream }) => stream)));
  for (const stream of measured) {
    if (shown.has(stream.key)) continue;
    // Beyond the gauges numbers are figures.
    const type = isScalar(stream) ? 'value' : widgetsFor(stream).find((one) => !WIDGETS[one].controls);
    if (type !== undefined) add(type, [stream]);
  }
  return widgets;
}

function unitGroups(streams: readonly Datastream[]): Datastream[][] {
  const groups = new Map<string, Datastream[]>();
  for (const stream of streams) {
    const unit = stream.unit ?? '';
    groups.set(unit, [...(groups.get(unit) ?? []), stream]);
  }
  const most = WIDGETS.chart.mostSources;
  return [...groups.values()].flatMap((group) =>
    Array.from({ length: Math.ceil(group.length / most) }, (_, i) => group.slice(i * most, (i + 1) * most)),
  );
}
