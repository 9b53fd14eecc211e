import { getTimes } from 'suncalc';

/** A place as far as the sun is concerned, in degrees north and east. */
export interface SunPlace {
  lat: number;
  lon: number;
}

const DAY_MS = 86_400_000;

/** Sunrise and sunset (epoch ms) nearest to noon of the day that contains `at` at this place; null where there is none. */
export function sunTimes(
  at: number,
  { lat, lon }: SunPlace,
): { sunrise: number | null; sunset: number | null } {
  // Noon of that day by the sun: the day of a place is not that of Greenwich.
  const shift = (lon / 360) * DAY_MS;
  const noon = Math.floor((at + shift) / DAY_MS) * DAY_MS + DAY_MS / 2 - shift;
  const { sunrise, sunset } = getTimes(new Date(noon), lat, lon);
  return { sunrise: sunrise?.getTime() ?? null, sunset: sunset?.getTime() ?? null };
}

/** Nights within a period, as [from, to] in epoch ms, clipped to it; none where the sun does not set, or over a long period. */
export function nightsOf(from: number, to: number, place: SunPlace, most = 40): [number, number][] {
  if ((to - from) / DAY_MS > most) return [];
  const edges: [at: number, sets: boolean][] = [];
  for (let day = from - DAY_MS; day <= to + DAY_MS; day += DAY_MS) {
    const { sunrise, sunset } = sunTimes(day, place);
    if (sunrise !== null) edges.push([sunrise, false]);
    if (sunset !== null) edges.push([sunset, true]);
  }
  edges.sort((a, b) => a[0] - b[0]);
  const nights: [number, number][] = [];
  for (const [i, [at, sets]] of edges.entries()) {
    const next = edges[i + 1];
    if (!sets || next === undefined || next[1]) continue;
    if (next[0] > from && at < to) nights.push([Math.max(from, at), Math.min(to, next[0])]);
  }
  return nights;
}
