import { foldName, KEY_PATTERN, proposeKey, RESERVED_NAMES } from './names';
import type { Datastream } from './types';

/** What a datastream is where nothing more is said of it. */
export const PLAIN_STREAM = {
  description: '',
  type: 'number',
  unit: null,
  min: null,
  max: null,
  rangePolicy: 'refuse',
  decimals: null,
  direction: 'report',
  pin: null,
  aliases: [],
  choices: [],
  colour: null,
  part: null,
  boardPin: '',
  defaultValue: null,
  holds: 'lasting',
  timeLimitS: null,
  follow: null,
  asks: false,
  runAtMost: null,
  withoutLink: null,
  keepDays: null,
  computation: null,
} satisfies Omit<Datastream, 'key' | 'title'>;

/**
 * Guesses a datastream from an unknown name and the value that came with it: a JSON value, or a text as it was shown.
 * For adopting it with one press, or where a kind accepts new names.
 */
export function guessStream(name: string, shown: unknown): Datastream {
  const folded = foldName(name);
  const words = name.trim().replace(/[_-]+/g, ' ');
  const pin = /^\d{1,3}$/.test(folded) ? Number(folded) : null;
  const title = (pin === null ? words.charAt(0).toUpperCase() + words.slice(1) : `Virtual pin ${pin}`).slice(
    0,
    80,
  );
  return {
    ...PLAIN_STREAM,
    key: KEY_PATTERN.test(folded) && !RESERVED_NAMES.has(folded) ? folded : proposeKey(title),
    title: title === '' ? 'Value' : title,
    type: guessType(shown),
    pin,
  };
}

function guessType(shown: unknown): Datastream['type'] {
  if (shown instanceof Uint8Array) return 'image';
  if (typeof shown === 'boolean') return 'boolean';
  if (typeof shown === 'number') return 'number';
  if (shown !== null && typeof shown === 'object') return 'location';
  const text = String(shown).trim().replace(/^"|"$/g, '');
  if (/^(true|false|on|off|yes|no)$/i.test(text)) return 'boolean';
  if (/^#[0-9a-f]{6}$/i.test(text)) return 'colour';
  return text === '' || !Number.isNaN(Number(text)) || /^(nan|[+-]?inf(inity)?|null)$/i.test(text)
    ? 'number'
    : 'text';
}
