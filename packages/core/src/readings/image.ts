import { counted } from '../words';
import { refusal, type Refusal } from './refusals';
import type { ImageType, ImageValue } from './types';

/** Bytes of an image at the most. */
export const MOST_IMAGE_BYTES = 512 * 1024;

/**
 * Reads an image: bytes, base64 text (also as a data URL). JPEG, PNG and WebP are told by their first bytes, whatever
 * was said of them. Refuses with wrong-type or too-large.
 */
export function readImage(raw: unknown, name: string): ImageValue | Refusal {
  const bytes = raw instanceof Uint8Array ? raw : typeof raw === 'string' ? fromBase64(raw) : null;
  if (bytes === null || bytes.length === 0)
    return refusal(name, 'wrong-type', 'An image is expected: its bytes, or base64 text in JSON.');
  if (bytes.length > MOST_IMAGE_BYTES)
    return refusal(
      name,
      'too-large',
      `The image has ${counted(bytes.length, 'byte')}; ${MOST_IMAGE_BYTES} are taken at most. Lower its quality or size.`,
    );
  const type = imageType(bytes);
  if (type === null)
    return refusal(
      name,
      'wrong-type',
      'The bytes are no JPEG, PNG or WebP image; it may have been cut short.',
    );
  return { type, size: bytes.length, bytes };
}

function imageType(bytes: Uint8Array): ImageType | null {
  const begins = (...wanted: number[]): boolean => wanted.every((byte, i) => bytes[i] === byte);
  if (begins(0xff, 0xd8, 0xff)) return 'image/jpeg';
  if (begins(0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a)) return 'image/png';
  const riff = begins(0x52, 0x49, 0x46, 0x46);
  return riff && [0x57, 0x45, 0x42, 0x50].every((byte, i) => bytes[8 + i] === byte) ? 'image/webp' : null;
}

function fromBase64(text: string): Uint8Array | null {
  const body = text.replace(/^data:[^,]*,/, '').replace(/\s+/g, '');
  if (!/^[A-Za-z0-9+/_-]*={0,2}$/.test(body) || body.replace(/=+$/, '').length % 4 === 1) return null;
  const letters = atob(body.replaceAll('-', '+').replaceAll('_', '/').replace(/=+$/, ''));
  const bytes = new Uint8Array(letters.length);
  for (let i = 0; i < letters.length; i++) bytes[i] = letters.charCodeAt(i);
  return bytes;
}
