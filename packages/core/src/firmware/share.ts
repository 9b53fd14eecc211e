/**
 * Whether a device is among the first `percent` of a round. Each round takes others first, and a device that is among ten percent
 * is among fifty too (FNV-1a of both numbers, well mixed).
 */
export function isAmongFirst(round: number, device: number, percent: number): boolean {
  let hash = 0x811c9dc5;
  for (const byte of new TextEncoder().encode(`${round}:${device}`))
    hash = Math.imul(hash ^ byte, 0x01000193);
  hash ^= hash >>> 16;
  hash = Math.imul(hash, 0x85ebca6b);
  hash ^= hash >>> 13;
  return (hash >>> 0) % 10_000 < percent * 100;
}
