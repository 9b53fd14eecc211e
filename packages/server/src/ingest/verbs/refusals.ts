import { refusal, type Refusal } from '@peatmoor/core';
import type { DeviceEntry } from '../../registry';

/** Refusal of a message that came faster than the device may send. */
export function tooOften(): Refusal {
  return refusal('', 'too-often');
}

export function unknownSubDevice(entry: DeviceEntry, name: string): Refusal {
  return refusal(
    name,
    'unknown-sub-device',
    `No sub-device "${name.slice(0, 60)}" is behind ${entry.name}. Add it on the page of ${entry.name}, by ID or serial text.`,
  );
}

/** Refusal of a message over which something failed here: it is not the device's fault, and must not come round again for ever. */
export function failed(): Refusal {
  return refusal(
    '',
    'unreadable',
    'The service could not handle this message; why is in its log. Nothing of it was kept.',
  );
}
