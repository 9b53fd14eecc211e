/** How much a zone matters: nothing, worth a look, or wrong. */
export const ZONE_TONES = ['good', 'look', 'wrong'] as const;
export type ZoneTone = (typeof ZONE_TONES)[number];

/** A named part of a scale, in the datastream's unit; open where a bound is null. */
export interface Zone {
  name: string;
  min: number | null;
  max: number | null;
  tone: ZoneTone;
}

const ONE =
  /^\s*(-?\d+(?:\.\d+)?)?\s*\.\.\s*(-?\d+(?:\.\d+)?)?\s+([^:]{1,40}?)\s*(?::\s*(good|look|wrong)\s*)?$/;

/**
 * Reads zones as people write them: `..-300 dry: wrong, -300..-100 good, -100.. wet: look`; one of them that cannot be read is
 * given as text.
 */
export function readZones(text: string): Zone[] | string {
  const zones: Zone[] = [];
  for (const part of text.split(',')) {
    if (part.trim() === '') continue;
    const found = ONE.exec(part);
    if (found === null) return part.trim();
    const [, min, max, name, tone] = found;
    const zone: Zone = {
      name: name!,
      min: min === undefined ? null : Number(min),
      max: max === undefined ? null : Number(max),
      tone: (tone as ZoneTone | undefined) ?? 'good',
    };
    if (
      (zone.min === null && zone.max === null) ||
      (zone.min !== null && zone.max !== null && zone.min >= zone.max)
    )
      return part.trim();
    zones.push(zone);
  }
  return zones;
}

/** The zone that a value lies in; the first where several overlap. */
export function zoneOf(zones: readonly Zone[], value: number): Zone | undefined {
  return zones.find(({ min, max }) => (min === null || value >= min) && (max === null || value < max));
}
