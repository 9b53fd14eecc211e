import { graduations, readZones, type Zone } from '@peatmoor/core';

/** Colours of zones, by how much they matter. */
export const ZONE_INKS = { good: 'moss', look: 'gorse', wrong: 'rowan' } as const;

/** Marks each `step`, or where none is said, about `about` round ones. */
export function marksOf(min: number, max: number, step: number | null, about: number): number[] {
  if (step === null || step <= 0 || (max - min) / step > 200) return graduations(min, max, about);
  const first = Math.ceil(min / step - 1e-9);
  const last = Math.floor(max / step + 1e-9);
  return Array.from({ length: Math.max(0, last - first + 1) }, (_, i) =>
    Number(((first + i) * step).toPrecision(12)),
  );
}

/** Zones in the units that are shown. */
export function shownZones(text: unknown, convert: (value: number) => number): Zone[] {
  const zones = typeof text === 'string' ? readZones(text) : [];
  return typeof zones === 'string'
    ? []
    : zones.map((zone) => ({
        ...zone,
        min: zone.min === null ? null : convert(zone.min),
        max: zone.max === null ? null : convert(zone.max),
      }));
}
