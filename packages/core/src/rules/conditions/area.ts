import { booleanPointInPolygon } from '@turf/boolean-point-in-polygon';
import { distance } from '@turf/distance';
import type { Location } from '../../readings/types';
import { UNKNOWN, type Sense } from '../senses/sense';
import { MOST_CORNERS, type Area, type ConditionSettings } from '../settings';
import { streamOf, type ConditionSort, type WrongCondition } from './sort';

type InArea = Required<Pick<ConditionSettings, 'area'>>;
interface Memory {
  inside: boolean;
  /** Metres from the middle of a circle. */
  metres: number | null;
}

/** Whether a place lies in an area (WGS 84; great circles for circles, straight lines in degrees for polygons). */
export function isInArea(area: Area, { lat, lon }: Pick<Location, 'lat' | 'lon'>): Memory {
  if (area.shape === 'circle') {
    const metres = distance([area.lon, area.lat], [lon, lat], { units: 'meters' });
    return { inside: metres <= area.metres, metres: Math.round(metres) };
  }
  const ring = area.corners.map((corner) => [corner.lon, corner.lat]);
  return {
    inside: booleanPointInPolygon([lon, lat], { type: 'Polygon', coordinates: [[...ring, ring[0]!]] }),
    metres: null,
  };
}

/** What is wrong with an area; null where nothing is. */
function checkArea(area: Area | undefined): WrongCondition | null {
  const wrong = (reason: string, remedy: string): WrongCondition => ({ field: 'area', reason, remedy });
  const isPlace = (place: Pick<Location, 'lat' | 'lon'>): boolean =>
    Math.abs(place.lat) <= 90 && Math.abs(place.lon) <= 180;
  if (area === undefined) return wrong('is missing', 'Give a circle or at least three corners.');
  if (area.shape === 'circle')
    return !isPlace(area)
      ? wrong('has no place on earth', 'Latitude is from -90 to 90, longitude from -180 to 180.')
      : area.metres > 0
        ? null
        : wrong('has no size', 'Give its radius in metres.');
  if (area.corners.length < 3 || area.corners.length > MOST_CORNERS)
    return wrong(`has ${area.corners.length} corners`, `Give 3 to ${MOST_CORNERS}.`);
  return area.corners.every(isPlace)
    ? null
    : wrong(
        'has a corner that is not a place on earth',
        'Latitude is from -90 to 90, longitude from -180 to 180.',
      );
}

function areaWords(area: Area): string {
  return area.shape === 'circle'
    ? `${area.metres} m around ${area.lat.toFixed(5)}, ${area.lon.toFixed(5)}`
    : `the area of ${area.corners.length} corners`;
}

/** A location inside or outside an area. */
export function areaSort(side: 'inside' | 'beyond'): ConditionSort<InArea> {
  const sense: Sense<InArea, Memory | null> = {
    begin: null,
    take: ({ area }, _memory, { value }) => isInArea(area, value as Location),
    look(_settings, memory) {
      if (memory === null) return UNKNOWN;
      const across = memory.inside === (side === 'inside');
      return { across, back: !across, value: memory.metres };
    },
    further: (_settings, a, b) => (side === 'inside' ? Math.min(a, b) : Math.max(a, b)),
  };
  return {
    sort: side,
    title: side === 'inside' ? 'is inside' : 'is beyond',
    watches: 'readings',
    types: ['location'],
    fields: ['area'],
    version: 1,
    check: ({ area }) => checkArea(area),
    clause: ({ area }, spoken) => `${streamOf(spoken)} is ${side} ${areaWords(area)}`,
    closes: () => (side === 'inside' ? 'it has left it' : 'it is back inside'),
    measured: (_settings, metres, { of }) => ({
      short: `${metres} m from the middle`,
      sentence: `${of} is ${metres} m from the middle of the circle.`,
    }),
    sense: () => sense as Sense<InArea, never>,
  };
}
