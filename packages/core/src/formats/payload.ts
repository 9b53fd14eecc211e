import { refusal, type Refusal } from '../readings/refusals';
import { decodeCsvReport } from './csv';
import { decodeJsonReport } from './json';
import { decodeForm } from './pairs';
import type { DecodedReport } from './report';
import { decodeSenmlCbor, decodeSenmlJson } from './senml';

const decoder = new TextDecoder();

/** Decodes an MQTT report: JSON object or rows, SenML in JSON or CBOR, told apart by content. */
export function decodeByContent(bytes: Uint8Array, receivedMs: number): DecodedReport | Refusal {
  // CBOR arrays begin with a byte that no JSON text begins with.
  const first = bytes[0] ?? 0;
  if (first >= 0x80 && first <= 0x9f) return decodeSenmlCbor(bytes, receivedMs);
  return decodeJsonReport(decoder.decode(bytes), receivedMs);
}

/** Content types of reports, as HTTP takes them. */
export const REPORT_TYPES = [
  'application/json',
  'application/senml+json',
  'application/senml+cbor',
  'text/csv',
  'application/x-www-form-urlencoded',
  'image/jpeg',
  'image/png',
  'image/webp',
] as const;

/**
 * Decodes an HTTP report by its content type. A form body that begins like JSON is read as JSON: curl sends the form
 * type unless told otherwise. `imageName` is the datastream that an image is for. Refuses with no-meaning for other types.
 */
export function decodeByType(
  type: string,
  bytes: Uint8Array,
  receivedMs: number,
  imageName: string | null,
): DecodedReport | Refusal {
  if (type.startsWith('image/')) {
    if (imageName === null)
      return refusal(
        'name',
        'unreadable',
        'Say which datastream the image is for: POST /device/report?name=picture.',
      );
    return { rows: [{ at: undefined, values: [[imageName, bytes]] }], number: null };
  }
  if (type === 'application/senml+cbor') return decodeSenmlCbor(bytes, receivedMs);
  const text = decoder.decode(bytes);
  const first = text.slice(0, 20).trimStart()[0];
  if (type === 'application/senml+json') return decodeSenmlJson(text, receivedMs);
  if (type === 'text/csv') return decodeCsvReport(text);
  if (type === 'application/json' || type === 'text/plain' || first === '{' || first === '[')
    return decodeJsonReport(text, receivedMs);
  if (type === 'application/x-www-form-urlencoded') return decodeForm(text);
  return refusal(
    '',
    'no-meaning',
    `Reports of type ${type.slice(0, 60)} are not taken. Send one of ${REPORT_TYPES.join(', ')}.`,
  );
}
