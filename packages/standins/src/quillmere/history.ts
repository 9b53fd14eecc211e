import { QUILLMERE_DEVICES, QUILLMERE_KINDS, type QuillmereKind } from './kinds';
import { cameraPicture } from './picture';
import { measuredAt, noise, ponyAt, rainRate } from './signals';

const MINUTE = 60_000;
const DAY = 86_400_000;

/** Made-up history of one datastream, in columns. */
export interface MadeHistory {
  device: string;
  key: string;
  times: number[];
  values: number[];
}

/**
 * Thirty days of history up to `until` (epoch ms), the same for the same `until`: every ten minutes, the last day
 * every minute, and the last hours as often as the board reports where that is oftener. One dipwell was silent for a night, so that a gap is there to be seen.
 */
export function quillmereHistory(until: number, days = 30): MadeHistory[] {
  const lines = new Map<string, MadeHistory>();
  const add = (device: string, key: string, at: number, value: number): void => {
    let line = lines.get(`${device}.${key}`);
    if (line === undefined) lines.set(`${device}.${key}`, (line = { device, key, times: [], values: [] }));
    line.times.push(at);
    line.values.push(value);
  };
  for (const { id, kind, seed } of QUILLMERE_DEVICES) {
    let tips = 0;
    let open = false;
    let opening = 0;
    for (let at = Math.ceil((until - days * DAY) / MINUTE) * MINUTE; at < until;) {
      const stepMs = stepBefore(until - at, kind);
      const silent = id === 'dipwell-south' && until - at < 16 * 3_600_000 && until - at > 11 * 3_600_000;
      if (!silent)
        for (const [key, value] of Object.entries(measuredAt(kind, seed, at)))
          if (key !== 'rain') add(id, key, at, value);
      if (kind === 'rainMeter') {
        const fell =
          Math.floor((rainRate(at) * (stepMs / 3_600_000)) / 0.2 + noise(seed, at / MINUTE)) *
          (rainRate(at) > 0 ? 1 : 0);
        tips += fell;
        add(id, 'rain', at, Number((fell * 0.2).toFixed(1)));
        add(id, 'tips', at, tips);
      }
      if (kind === 'sluice') {
        const level = measuredAt(kind, seed, at).upstream_level!;
        open = open ? level > 790 : level > 800;
        const before = opening;
        opening = Math.min(100, Math.max(0, opening + (open ? 40 : -40)));
        add(id, 'opening', at, opening);
        add(id, 'motor', at, opening === before ? 0 : 1);
        add(id, 'automatic', at, 1);
      }
      at += stepMs;
    }
  }
  return [...lines.values()];
}

/** Kinds whose values do not add up, so that they may come oftener. */
const LEVELS: readonly QuillmereKind[] = ['dipwell', 'sluice'];

/** How far readings are apart, so long before the end (ms). */
function stepBefore(ms: number, kind: QuillmereKind): number {
  if (ms > DAY) return 10 * MINUTE;
  return ms > DAY / 12 || !LEVELS.includes(kind) ? MINUTE : QUILLMERE_KINDS[kind].intervalS * 1000;
}

/** Made-up history of what is no number: where the pony was, every ten minutes of two days, and a picture an hour of one. */
export function quillmereOthers(
  until: number,
): { device: string; key: string; at: number; value: { lat: number; lon: number } | Uint8Array }[] {
  const made: ReturnType<typeof quillmereOthers> = [];
  for (const { id, kind, seed } of QUILLMERE_DEVICES)
    if (kind === 'collar')
      for (let at = until - 2 * DAY; at < until; at += 10 * MINUTE)
        made.push({ device: id, key: 'place', at, value: ponyAt(seed, at) });
    else if (kind === 'trailCamera')
      for (let at = until - DAY; at < until; at += 60 * MINUTE)
        made.push({ device: id, key: 'picture', at, value: cameraPicture(seed, at) });
  return made;
}
