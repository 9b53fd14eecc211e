import type { QuillmereKind } from './kinds';

// Taken out of the global once: it is called a million times, and tests look globals up slowly.
const { imul } = Math;

const HOUR = 3_600_000;
const DAY = 24 * HOUR;

/** A steady pseudo-random number from 0 to 1 for a seed and a whole number (an integer hash). */
export function noise(seed: number, n: number): number {
  let h = imul(n ^ (seed * 0x9e3779b1), 0x85ebca6b);
  h = imul(h ^ (h >>> 13), 0xc2b2ae35);
  return ((h ^ (h >>> 16)) >>> 0) / 4_294_967_296;
}

/** Smooth noise: passes through a random value every `stepMs`. */
function drift(seed: number, at: number, stepMs: number): number {
  const n = Math.floor(at / stepMs);
  const share = at / stepMs - n;
  const ease = share * share * (3 - 2 * share);
  return noise(seed, n) * (1 - ease) + noise(seed, n + 1) * ease;
}

/** Rain in mm an hour at a time: showers on about every third day. */
export function rainRate(at: number): number {
  const spell = drift(71, at, 9 * HOUR);
  return spell < 0.62 ? 0 : (spell - 0.62) * 14 * drift(72, at, 25 * 60_000);
}

/** Rain that fell in the hours before, fading over three days: what raises water levels. */
function soaked(at: number): number {
  let sum = 0;
  for (let hours = 1; hours <= 72; hours += 3) sum += rainRate(at - hours * HOUR) * 3 * Math.exp(-hours / 40);
  return sum;
}

const sun = (at: number): number => Math.sin(((at % DAY) / DAY) * 2 * Math.PI - 2.2);
const battery = (seed: number, at: number): number =>
  3.86 + 0.12 * sun(at - 2 * HOUR) + 0.05 * (drift(seed + 7, at, 3 * DAY) - 0.5);

/** People over the bridge in the half minute before a time: more by day, and at the weekend. */
function visitorsAt(seed: number, at: number): number {
  const day = Math.max(0, sun(at));
  const weekend = [0, 6].includes(new Date(at).getUTCDay()) ? 2 : 1;
  return noise(seed, Math.floor(at / 30_000)) < 0.25 * day * weekend
    ? 1 + Math.floor(3 * noise(seed + 1, Math.floor(at / 30_000)))
    : 0;
}

/** The fence around the moss, as a circle in metres: the pony gets out now and then. */
export const QUILLMERE_FENCE = { lat: 53.4213, lon: -1.8674, metres: 480 } as const;

/** Where the pony is at a time: it goes round the moss, and rests at night. Degrees. */
export function ponyAt(seed: number, at: number): { lat: number; lon: number } {
  const way = drift(seed, at, 3 * HOUR) * 2 * Math.PI;
  const reach = 0.6 + 0.4 * drift(seed + 3, at, 5 * HOUR);
  return {
    lat: round(53.4213 + 0.0052 * reach * Math.sin(way), 5),
    lon: round(-1.8674 + 0.0079 * reach * Math.cos(way), 5),
  };
}

/** What a device measures at a time, without its controls: pure, the same for the same time. */
export function measuredAt(kind: QuillmereKind, seed: number, at: number): Record<string, number> {
  if (kind === 'dipwell') {
    const level =
      -240 -
      4 * (seed % 17) +
      soaked(at) * (1.5 + (seed % 5) / 4) -
      25 * drift(seed, at, 2 * DAY) -
      6 * Math.max(0, sun(at)) +
      2 * noise(seed, Math.floor(at / 5000));
    const temperature =
      7.4 + (seed % 4) / 3 + 1.8 * sun(at - 3 * HOUR) + 2.5 * (drift(seed + 1, at, 4 * DAY) - 0.5);
    return {
      water_level: Math.round(level),
      peat_temperature: round(temperature, 1),
      battery: round(battery(seed, at), 2),
    };
  }
  if (kind === 'sluice') {
    const level =
      640 + soaked(at) * 5 + 120 * drift(seed, at, 5 * HOUR) + 3 * noise(seed, Math.floor(at / 5000));
    return { upstream_level: Math.round(Math.min(1180, level)) };
  }
  if (kind === 'hutGateway')
    return {
      radio_signal: Math.round(-71 + 8 * drift(seed, at, HOUR)),
      hut_temperature: round(9 + 4 * sun(at - HOUR) + 2 * drift(seed + 2, at, 6 * HOUR), 1),
    };
  const charged = { battery: round(battery(seed, at), 2) };
  if (kind === 'footbridge') return { visitors: visitorsAt(seed, at), ...charged };
  return kind === 'rainMeter' ? { rain: 0, ...charged } : charged;
}

function round(value: number, decimals: number): number {
  return Number(value.toFixed(decimals));
}
