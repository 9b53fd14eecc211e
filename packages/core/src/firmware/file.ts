/** A version as a maker writes it: 1.2.0, 2026-11-27b. */
export const VERSION_PATTERN = /^[A-Za-z0-9][A-Za-z0-9._-]{0,31}$/;
/** Bytes of a built program at the most. */
export const MOST_FIRMWARE_BYTES = 8 * 1024 * 1024;
/** Bytes that a board fetches at once at the most. */
export const MOST_RANGE_BYTES = 64 * 1024;
/** What stands in a program of our starters ahead of its version, so that a file can be told from another. */
export const FIRMWARE_MARK = 'moor-firmware:';

/** The version that a built program says it is; null where it says none, or several. */
export function versionWithin(bytes: Uint8Array): string | null {
  // Letter by byte: what is searched for is plain ASCII.
  const text = new TextDecoder('latin1').decode(bytes);
  const found = new Set<string>();
  for (let at = text.indexOf(FIRMWARE_MARK); at >= 0; at = text.indexOf(FIRMWARE_MARK, at + 1)) {
    const start = at + FIRMWARE_MARK.length;
    const version = /^[A-Za-z0-9._-]*/.exec(text.slice(start, start + 40))![0];
    if (VERSION_PATTERN.test(version)) found.add(version);
    if (found.size > 1) return null;
  }
  return [...found][0] ?? null;
}

/** A range of bytes as a board asks for it (RFC 9110 §14.1.2, one range from a start on); null where it cannot be given. */
export function readRange(header: string | undefined, size: number): { start: number; end: number } | null {
  const found = /^bytes=(\d{1,9})-(\d{1,9})?$/.exec(header ?? 'bytes=0-');
  if (found === null) return null;
  const start = Number(found[1]);
  const last = found[2] === undefined ? size - 1 : Number(found[2]);
  if (start >= size || last < start) return null;
  return { start, end: Math.min(last + 1, size, start + MOST_RANGE_BYTES) };
}
