import type { Datastream } from './types';

/**
 * A made-up but steady value for a datastream at a time, for pages and boards that have nothing measured yet.
 * Pure: the same key and time give the same value. Always within the range.
 */
export function sampleValue(
  stream: Pick<Datastream, 'key' | 'type' | 'min' | 'max' | 'decimals'> & { choices?: readonly string[] },
  atMs: number,
): number {
  const seed = [...stream.key].reduce((sum, letter) => (sum * 31 + letter.charCodeAt(0)) % 9973, 7);
  const low = stream.min ?? (stream.max === null ? 0 : stream.max - 100);
  const high = stream.max ?? low + 100;
  const day = Math.sin((atMs / 86_400_000) * 2 * Math.PI + seed);
  const swing = Math.sin((atMs / 600_000) * 2 * Math.PI + seed * 3);
  const share = 0.5 + 0.28 * day + 0.1 * swing;
  if (stream.type === 'boolean') return share > 0.5 ? 1 : 0;
  if (stream.type === 'choice') return Math.floor(share * (stream.choices?.length ?? 1));
  if (stream.type === 'colour') return Math.floor(share * 0xffffff);
  const value = low + (high - low) * share;
  const digits = stream.type === 'integer' ? 0 : Math.min(stream.decimals ?? 2, 6);
  return Math.min(high, Math.max(low, Number(value.toFixed(digits)))) + 0;
}
