import type { TimetablePlace } from '@peatmoor/core';
import type { WorkspaceRow } from '../store/models';

type OnEarth = { lat: number; lon: number } | null;

/** By which clock and sun a device's timetables run: where the device is, or else its workspace. */
export function timetablePlace(
  { zone, place: ofWorkspace }: { zone: string; place: OnEarth },
  { place: ofDevice }: { place: OnEarth },
): TimetablePlace {
  const sun = ofDevice ?? ofWorkspace;
  return { zone, sun: sun === null ? null : { lat: sun.lat, lon: sun.lon } };
}

/** Where a workspace is, or null where nobody said. */
export const placeOfWorkspace = ({ lat, lon }: Pick<WorkspaceRow, 'lat' | 'lon'>): OnEarth =>
  lat === null || lon === null ? null : { lat, lon };
