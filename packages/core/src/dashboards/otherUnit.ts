import { along } from '../readings/unitChange';
import type { UnitLine } from '../readings/units';
import type { Widget } from './catalogue';
import { readZones, type Zone } from './zones';

/** Options that are values of the datastream; a mark each so much is a distance. */
const VALUES = ['min', 'max', 'target', 'above', 'below'] as const;

/** A widget whose every source is shown in another unit: its scale, target, marks and zones go along. */
export function widgetInOtherUnit<W extends Pick<Widget, 'options'>>(widget: W, line: UnitLine): W {
  const options = { ...widget.options };
  for (const name of VALUES) {
    const value = options[name];
    if (typeof value === 'number') options[name] = along(line, value);
  }
  if (typeof options.step === 'number') options.step = along({ scale: line.scale, offset: 0 }, options.step);
  const zones = typeof options.zones === 'string' ? readZones(options.zones) : [];
  if (typeof zones !== 'string' && zones.length > 0)
    options.zones = zones.map((zone) => written(zone, line)).join(', ');
  return { ...widget, options };
}

/** A zone as people write it. */
function written({ min, max, name, tone }: Zone, line: UnitLine): string {
  const bound = (value: number | null): string => (value === null ? '' : String(along(line, value)));
  return `${bound(min)}..${bound(max)} ${name}${tone === 'good' ? '' : `: ${tone}`}`;
}
