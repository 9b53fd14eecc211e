import editDistance from 'damerau-levenshtein';
import type { Datastream } from './types';

/** Names with a meaning of their own on the wire; a datastream cannot be called so. */
export const RESERVED_NAMES: ReadonlySet<string> = new Set([
  'at',
  'for',
  'name',
  'wait',
  'n',
  'access_token',
]);

/** Letters of a name in a message at the most. */
export const LONGEST_NAME = 80;

export const KEY_PATTERN = /^[a-z][a-z0-9_]{0,39}$/;

/** A name as it is compared: lower case, space and hyphen as underscore. */
export function foldName(name: string): string {
  return name
    .trim()
    .toLowerCase()
    .replace(/[\s-]+/g, '_');
}

/** The virtual pin a name means (all digits, 0 to 999), or null. */
export function pinOf(name: string): number | null {
  return /^\d{1,3}$/.test(name) ? Number(name) : null;
}

/** Proposes a datastream key from a title: "Water level (mm)" gives `water_level_mm`. */
export function proposeKey(title: string): string {
  const plain = title
    .normalize('NFKD')
    .replace(/[\u0300-\u036f]/g, '')
    .toLowerCase();
  const key = plain
    .replace(/[^a-z0-9]+/g, '_')
    .replace(/^[_0-9]+|_+$/g, '')
    .slice(0, 40)
    .replace(/_+$/, '');
  return key === '' ? 'value' : RESERVED_NAMES.has(key) ? `${key}_value` : key;
}

/** Finds datastreams by the name a message used. Made once for a kind, asked for every value. */
export interface NameIndex<S> {
  find(name: string): S | undefined;
  /** The known name closest to one that was not found, or undefined where none is near. */
  nearest(name: string): string | undefined;
}

/**
 * Builds the name index of a kind's datastreams. A virtual pin, a key and an alias all lead to the datastream;
 * a key wins over another datastream's alias.
 */
export function indexNames<S extends Pick<Datastream, 'key' | 'pin' | 'aliases'>>(
  streams: readonly S[],
): NameIndex<S> {
  const byName = new Map<string, S>();
  for (const stream of streams) for (const alias of stream.aliases) byName.set(foldName(alias), stream);
  for (const stream of streams) byName.set(stream.key, stream);
  for (const stream of streams) if (stream.pin !== null) byName.set(String(stream.pin), stream);
  const bareKeys = streams.map(({ key }) => key.replaceAll('_', ''));
  return {
    find(name) {
      if (name.length > LONGEST_NAME) return undefined;
      const exact = byName.get(name);
      if (exact !== undefined) return exact;
      const pin = pinOf(name);
      return pin === null ? byName.get(foldName(name)) : byName.get(String(pin));
    },
    nearest(name) {
      const folded = foldName(name);
      if (folded === '' || pinOf(folded) !== null || folded.length > 60) return undefined;
      const bare = folded.replaceAll('_', '');
      let best: string | undefined;
      let bestDistance = Math.max(1, Math.floor(folded.length / 3)) + 1;
      for (const [i, stream] of streams.entries()) {
        // Names whose lengths differ by more cannot be nearer.
        if (Math.abs(stream.key.length - folded.length) > bestDistance) continue;
        const apart = bareKeys[i] === bare ? 0 : editDistance(folded, stream.key).steps;
        if (apart < bestDistance) [best, bestDistance] = [stream.key, apart];
      }
      return best;
    },
  };
}
