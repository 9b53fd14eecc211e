import type { ImageValue, Location, Value } from '@peatmoor/core';
import type { Connection } from 'mariadb';

/** A reading that is no number: a text, a location or an image. */
export interface OtherReading {
  workspaceId: number;
  series: number;
  at: number;
  value: string | Location | ImageValue;
  /** About how much it takes, in bytes. */
  bytes: number;
}

/** What is told of such a value where the bytes of an image are not needed. */
export function factsOf(value: OtherReading['value']): Value {
  return typeof value === 'object' && 'bytes' in value ? { type: value.type, size: value.size } : value;
}

/**
 * Writes texts, locations and images into their tables and notes the newest of each series. To be called in the
 * journal's transaction. The same reading sent again is there once.
 */
export async function writeOthers(connection: Connection, readings: readonly OtherReading[]): Promise<void> {
  const texts: unknown[][] = [];
  const locations: unknown[][] = [];
  const images: unknown[][] = [];
  const newest = new Map<number, OtherReading>();
  for (const reading of readings) {
    const { series, at, value, workspaceId } = reading;
    if (typeof value === 'string') texts.push([series, at, workspaceId, value]);
    else if ('lat' in value) locations.push([series, at, workspaceId, value.lat, value.lon, value.alt]);
    else images.push([series, at, workspaceId, value.type, Buffer.from(value.bytes)]);
    if (at >= (newest.get(series)?.at ?? 0)) newest.set(series, reading);
  }
  if (texts.length > 0)
    await connection.batch('REPLACE INTO texts (seriesId, at, workspaceId, body) VALUES (?, ?, ?, ?)', texts);
  if (locations.length > 0)
    await connection.batch(
      'REPLACE INTO locations (seriesId, at, workspaceId, lat, lon, alt) VALUES (?, ?, ?, ?, ?, ?)',
      locations,
    );
  for (const row of images)
    await connection.execute(
      'REPLACE INTO images (seriesId, at, workspaceId, type, body) VALUES (?, ?, ?, ?, ?)',
      row,
    );
  for (const { series, at, value } of newest.values())
    await connection.execute(
      'UPDATE series SET newestOther = IF(newestAt IS NULL OR newestAt <= ?, ?, newestOther), newestAt = GREATEST(COALESCE(newestAt, 0), ?) WHERE id = ?',
      [at, JSON.stringify(factsOf(value)), at, series],
    );
}
