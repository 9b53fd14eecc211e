import { counted } from '../words';
/** Every reason for which a message or a value is not accepted, each with its hint (DESIGN: refusal reasons). */
export const REFUSAL_HINTS = {
  'unknown-name': 'No datastream has this name. Add it to the kind, or correct the name in the program.',
  'repeated-name':
    'The same name came twice for the same time with different values. Send one value for each name and time.',
  'wrong-type': 'The value does not fit the type of the datastream.',
  'wrong-unit': 'The unit measures another quantity than the datastream.',
  'not-finite': 'Not a number, infinite or empty. A loose wire or a failed sensor often reads like this.',
  'out-of-range': 'The value lies outside the range of the datastream. Check the sensor, or widen the range.',
  'too-long': 'The name or text is longer than is kept.',
  'not-reportable': 'This datastream is a control: people tell the device, the device does not report it.',
  unreadable: 'The message could not be read.',
  'too-large': 'The message is larger than is taken. Send it in parts.',
  'too-old': 'The time is more than ten years back. Check the clock of the board.',
  'in-the-future':
    'The time is more than five minutes ahead. Check the clock of the board, and that it counts milliseconds.',
  'too-often':
    'Messages come faster than this device may send. Wait a little, or send several values in one message.',
  'bad-token': 'The device token is not right.',
  'unknown-sub-device': 'No sub-device of this name is behind this gateway.',
  'unknown-event': 'No event of this key is defined for the kind.',
  'wrong-topic': 'Nothing is taken on this topic.',
  retained: 'The message carries the retain flag. Publish it without: Peatmoor keeps every reading itself.',
  'no-meaning': 'This field has no meaning here and cannot be kept.',
} as const;

export type RefusalReason = keyof typeof REFUSAL_HINTS;
export const REFUSAL_REASONS = Object.keys(REFUSAL_HINTS) as RefusalReason[];

/** A message or value not accepted. `name` is the name as it came, or empty for a whole message. */
export interface Refusal {
  name: string;
  reason: RefusalReason;
  hint: string;
}

/** Makes a refusal; a hint that knows the particular case replaces the general one. */
export function refusal(name: string, reason: RefusalReason, hint: string = REFUSAL_HINTS[reason]): Refusal {
  return { name: name.slice(0, 80), reason, hint };
}

/** True for a refusal among outcomes that are either a refusal or something else. */
export function isRefusal(outcome: object): outcome is Refusal {
  return 'reason' in outcome && 'hint' in outcome;
}

/** Letters of a value that a hint shows. */
const SHOWN_LETTERS = 40;

/** A raw value as a hint shows it, shortened; of a list or an object only what it is. Looks no deeper than its surface. */
export function showRaw(raw: unknown): string {
  if (typeof raw === 'string') {
    if (raw.length <= SHOWN_LETTERS) return JSON.stringify(raw);
    return `${JSON.stringify(raw.slice(0, SHOWN_LETTERS)).slice(0, -1)}…"`;
  }
  if (raw instanceof Uint8Array) return counted(raw.length, 'byte');
  if (Array.isArray(raw)) return `a list of ${raw.length}`;
  if (raw !== null && typeof raw === 'object') return 'an object';
  return String(raw);
}
