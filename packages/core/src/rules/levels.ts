import { watchesDevice } from './watched';

interface Level {
  comparison: string;
  stream: string;
  /** The device it looks at; null for the one that the rule watches. */
  deviceId?: string | null;
  limit?: number | undefined;
  low?: number | undefined;
  high?: number | undefined;
}

/** What of a rule says whom it watches, and at what levels. */
export interface LevelRule extends Level {
  active: boolean;
  deviceId: string | null;
  kindId: number | null;
  label: string | null;
  also: readonly Level[];
  own: readonly { deviceId: string; limit: number | null; leftOut: boolean }[];
}

/**
 * The levels at which a rule watches a datastream of a device, in the datastream's unit, each once: the device's own limit where it
 * has one. Empty where the rule is off, does not watch the device, or watches something that is no level of the value itself.
 */
export function levelsOn(
  rule: LevelRule,
  device: { id: string; kindId: number; labels: readonly string[] },
  stream: string,
): number[] {
  if (!rule.active) return [];
  const own = rule.own.find(({ deviceId }) => deviceId === device.id);
  const watches =
    own?.leftOut !== true &&
    watchesDevice({ ...rule, device: rule.deviceId }, { ...device, name: device.id });
  const first: Level = { ...rule, deviceId: null };
  if (own?.limit != null && first.limit !== undefined) first.limit = own.limit;
  const levels = [first, ...rule.also]
    .filter((one) => one.stream === stream && (one.deviceId == null ? watches : one.deviceId === device.id))
    .flatMap(({ comparison, limit, low, high }) =>
      comparison === 'above' || comparison === 'below'
        ? [limit]
        : comparison === 'between' || comparison === 'outside'
          ? [low, high]
          : [],
    );
  return [...new Set(levels.filter((level) => level !== undefined))];
}
