import type { QuillmereKind } from './kinds';
import { cameraPicture } from './picture';
import { measuredAt, ponyAt, rainRate } from './signals';

/** How a board behaves: what it measures when asked, and what it does with a wanted value. */
export interface BoardModel {
  read(at: number): Record<string, number | boolean | { lat: number; lon: number }>;
  /** A picture to send by itself, for a board with a camera: the name of its datastream and a PNG. */
  picture?(at: number): { name: string; bytes: Uint8Array };
  /** Returns false if the board cannot do it. */
  apply(name: string, value: number): boolean;
}

/** A model for one of Quillmere's kinds. */
export function boardModel(kind: QuillmereKind, seed: number): BoardModel {
  if (kind === 'sluice') return sluiceModel(seed);
  if (kind === 'rainMeter') return rainModel(seed);
  if (kind === 'collar')
    return { read: (at) => ({ place: ponyAt(seed, at), ...measuredAt(kind, seed, at) }), apply: () => false };
  const plain: BoardModel = { read: (at) => measuredAt(kind, seed, at), apply: () => false };
  if (kind !== 'trailCamera') return plain;
  return { ...plain, picture: (at) => ({ name: 'picture', bytes: cameraPicture(seed, at) }) };
}

/**
 * The sluice: water gathers above the closed gate and runs off through the open one. On automatic it opens above
 * 950 mm and closes below 720 mm, which takes about four minutes a turn. By hand it goes where it is wanted.
 */
function sluiceModel(seed: number): BoardModel {
  let level = 780;
  let opening = 0;
  let wanted = 0;
  let automatic = true;
  let last: number | null = null;
  return {
    read(at) {
      const seconds = last === null ? 0 : Math.min(60, (at - last) / 1000);
      // It goes on from where its history ends.
      if (last === null) level = measuredAt('sluice', seed, at).upstream_level!;
      last = at;
      if (automatic) wanted = level > 950 ? 100 : level < 720 ? 0 : wanted;
      const before = opening;
      const step = 8 * seconds;
      opening = wanted > opening ? Math.min(wanted, opening + step) : Math.max(wanted, opening - step);
      level = Math.min(1150, Math.max(300, level + seconds * (1.9 - (opening / 100) * 4.6)));
      return {
        upstream_level: Math.round(level),
        opening: Math.round(opening),
        motor: opening !== before,
        automatic,
      };
    },
    apply(name, value) {
      if (name === 'automatic') automatic = value !== 0;
      else if (name === 'opening_wanted') {
        wanted = value;
        automatic = false;
      } else return name === 'horn';
      return true;
    },
  };
}

function rainModel(seed: number): BoardModel {
  let tips = 0;
  let last: number | null = null;
  let gathered = 0;
  return {
    read(at) {
      const hours = last === null ? 0 : (at - last) / 3_600_000;
      last = at;
      gathered += (rainRate(at) + 1.2) * hours;
      const fell = Math.floor(gathered / 0.2);
      gathered -= fell * 0.2;
      tips += fell;
      return {
        rain: Number((fell * 0.2).toFixed(1)),
        tips,
        battery: measuredAt('rainMeter', seed, at).battery!,
      };
    },
    apply: () => false,
  };
}
