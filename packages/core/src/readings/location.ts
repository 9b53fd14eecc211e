import { refusal, type Refusal } from './refusals';
import type { Location } from './types';

/**
 * Reads a location: `{"lat": 53.1, "lon": -1.9, "alt": 340}`, `[53.1, -1.9]` or the text "53.1,-1.9,340".
 * Degrees north and east (WGS 84), metres. Refuses with wrong-type, not-finite or out-of-range.
 */
export function readLocation(raw: unknown, name: string): Location | Refusal {
  if (raw === null || raw === undefined || raw === '') return refusal(name, 'not-finite');
  const [lat, lon, alt] = partsOf(raw).map(toNumber);
  if (lat === undefined || lon === undefined)
    return refusal(
      name,
      'wrong-type',
      'A location such as {"lat": 53.4, "lon": -1.9} or "53.4,-1.9" is expected.',
    );
  if (![lat, lon, alt ?? 0].every(Number.isFinite)) return refusal(name, 'not-finite');
  if (Math.abs(lat) > 90 || Math.abs(lon) > 180)
    return refusal(
      name,
      'out-of-range',
      `Latitude is from -90 to 90, longitude from -180 to 180; ${lat}, ${lon} is not. They may be swapped.`,
    );
  return { lat, lon, alt: alt ?? null };
}

/** Letters of a location in words at the most. */
const LONGEST = 200;

function partsOf(raw: unknown): unknown[] {
  if (Array.isArray(raw)) return raw.length <= 3 ? raw : [];
  if (typeof raw === 'string' && raw.length <= LONGEST) {
    const parts = raw.split(/[,;\s]+/).filter(Boolean);
    return parts.length <= 3 ? parts : [];
  }
  if (typeof raw !== 'object' || raw === null) return [];
  const { lat, latitude, lon, lng, longitude, alt, altitude } = raw as Record<string, unknown>;
  return [lat ?? latitude, lon ?? lng ?? longitude, alt ?? altitude];
}

function toNumber(part: unknown): number | undefined {
  if (typeof part === 'number') return part;
  return typeof part === 'string' && part.trim() !== '' && !Number.isNaN(Number(part))
    ? Number(part)
    : undefined;
}

/** A location as people read it: degrees with five decimals (about a metre), and the altitude where known. */
export function showLocation({ lat, lon, alt }: Location): string {
  return `${lat.toFixed(5)}, ${lon.toFixed(5)}${alt === null ? '' : `, ${Math.round(alt)} m`}`;
}
