import type { ImageValue, Location, Value } from '@peatmoor/core';
import type { Connection } from 'mariadb';
import { latestPossible } from '../clock';

/** A reading that is no number: a text, a location or an image. */
export interface OtherReading {
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
 * Writes texts, locations and images into their tables and notes the newest of each series; those of series that are
 * gone are left out. To be called in the journal's transaction. The same reading sent again is there once.
 */
export async function writeOthers(connection: Connection, readings: readonly OtherReading[]): Promise<void> {
  const newest = new Map<number, OtherReading>();
  for (const reading of readings)
    if (reading.at >= (newest.get(reading.series)?.at ?? -Infinity)) newest.set(reading.series, reading);
  const gone = new Set<number>();
  const latest = latestPossible();
  // Written first, in order: whoever deletes a series waits here, or is waited for.
  for (const [series, { at, value }] of [...newest].sort(([a], [b]) => a - b)) {
    const { affectedRows } = (await connection.execute(
      'UPDATE series SET newestOther = IF(newestAt IS NULL OR newestAt <= ? OR newestAt > ?, ?, newestOther), newestAt = IF(newestAt > ?, ?, GREATEST(COALESCE(newestAt, 0), ?)) WHERE id = ?',
      [at, latest, JSON.stringify(factsOf(value)), latest, at, at, series],
    )) as { affectedRows: number };
    if (affectedRows === 0) gone.add(series);
  }
  const texts: unknown[][] = [];
  const locations: unknown[][] = [];
  const images: unknown[][] = [];
  for (const { series, at, value } of readings) {
    if (gone.has(series)) continue;
    if (typeof value === 'string') texts.push([series, at, value]);
    else if ('lat' in value) locations.push([series, at, value.lat, value.lon, value.alt]);
    else images.push([series, at, value.type, Buffer.from(value.bytes)]);
  }
  if (texts.length > 0)
    await connection.batch('REPLACE INTO texts (seriesId, at, body) VALUES (?, ?, ?)', texts);
  if (locations.length > 0)
    await connection.batch(
      'REPLACE INTO locations (seriesId, at, lat, lon, alt) VALUES (?, ?, ?, ?, ?)',
      locations,
    );
  for (const row of images)
    await connection.execute('REPLACE INTO images (seriesId, at, type, body) VALUES (?, ?, ?, ?)', row);
}
