import { withoutSecrets } from '@peatmoor/core';

const MOST_SHOWN = 2000;

/** A message as people can read it, shortened: text as it is, anything else as hexadecimal bytes. */
export function showPayload(raw: Uint8Array | null): string {
  if (raw === null) return '';
  try {
    // A letter that the cut would halve is left out.
    const decoder = new TextDecoder('utf-8', { fatal: true });
    const text = decoder.decode(raw.subarray(0, MOST_SHOWN), { stream: raw.length > MOST_SHOWN });

    if (!/[\x00-\x08\x0e-\x1f]/.test(text)) {
      const shown = withoutSecrets(text);
      return raw.length > MOST_SHOWN ? `${shown}…` : shown;
    }
  } catch {
    // Not text: shown as bytes.
  }
  const hex = Buffer.from(raw.subarray(0, MOST_SHOWN / 4)).toString('hex');
  return `${hex.replace(/../g, '$& ').trim()}${raw.length > MOST_SHOWN / 4 ? ' …' : ''}`;
}

/** The same bytes with every secret in them struck out; as they are where there is none. */
export function strikeSecrets(raw: Uint8Array): Buffer {
  const bytes = Buffer.from(raw);
  const text = bytes.toString('latin1');
  const clean = withoutSecrets(text);
  return clean === text ? bytes : Buffer.from(clean.replaceAll('…', '...'), 'latin1');
}
