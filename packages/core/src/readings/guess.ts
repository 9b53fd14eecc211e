import { foldName, KEY_PATTERN, proposeKey } from './names';
import type { Datastream } from './types';

/** Guesses a datastream from an unknown name and the value that came with it, for adopting it with one press. */
export function guessStream(name: string, shown: string): Datastream {
  const folded = foldName(name);
  const isBoolean = /^"?(true|false|on|off|yes|no)"?$/i.test(shown.trim());
  const words = name.trim().replace(/[_-]+/g, ' ');
  const pin = /^\d{1,3}$/.test(folded) ? Number(folded) : null;
  const title = pin === null ? words.charAt(0).toUpperCase() + words.slice(1) : `Virtual pin ${pin}`;
  return {
    key: KEY_PATTERN.test(folded) ? folded : proposeKey(title),
    title,
    type: isBoolean ? 'boolean' : 'number',
    unit: null,
    min: null,
    max: null,
    rangePolicy: 'refuse',
    decimals: null,
    direction: 'report',
    pin,
    aliases: [],
  };
}
