import type { ExportQuery } from './schemas/data';

// Addresses that are opened, not called: apart from the schemas, which pages that only link to them go without.

/** Where the readings of a device are taken away: an address with its query. */
export function exportPath(
  device: string,
  query: Partial<Record<keyof ExportQuery, string | number>>,
): string {
  const given = Object.entries(query).map(([name, value]): [string, string] => [name, String(value)]);
  return `/api/devices/${encodeURIComponent(device)}/export?${new URLSearchParams(given)}`;
}

/** Where the picture of an image datastream at a time is. */
export function imagePath(device: string, stream: string, at: number): string {
  return `/api/devices/${encodeURIComponent(device)}/images/${encodeURIComponent(stream)}?at=${at}`;
}
