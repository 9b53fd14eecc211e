const MOST_SHOWN = 2000;

/** A message as people can read it, shortened: text as it is, anything else as hexadecimal bytes. */
export function showPayload(raw: Uint8Array | null): string {
  if (raw === null) return '';
  try {
    // A letter that the cut would halve is left out.
    const decoder = new TextDecoder('utf-8', { fatal: true });
    const text = decoder.decode(raw.subarray(0, MOST_SHOWN), { stream: raw.length > MOST_SHOWN });

    if (!/[\x00-\x08\x0e-\x1f]/.test(text)) return raw.length > MOST_SHOWN ? `${text}…` : text;
  } catch {
    // Not text: shown as bytes.
  }
  const hex = Buffer.from(raw.subarray(0, MOST_SHOWN / 4)).toString('hex');
  return `${hex.replace(/../g, '$& ').trim()}${raw.length > MOST_SHOWN / 4 ? ' …' : ''}`;
}
