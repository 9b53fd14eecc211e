/**
 * The life of a firmware on one device: `offered` to it, `fetched` and checked and about to start, `confirmed` by a report that
 * was acknowledged; or `failed` (what it fetched is not what was meant), `went-back` (it did not start), `cannot` (the board has
 * no room for two).
 */
export const FIRMWARE_STATES = ['offered', 'fetched', 'confirmed', 'failed', 'went-back', 'cannot'] as const;
export type FirmwareState = (typeof FIRMWARE_STATES)[number];

/** What a board says of itself when it asks whether there is another program for it. */
export interface AskedFirmware {
  /** The version that runs. */
  has: string;
  /** Programs that it has room for. */
  slots: number;
}

/** What becomes of a firmware when a board asks, that was in a state before (null for not yet offered). */
export function firmwareAsked(
  version: string,
  { has, slots }: AskedFirmware,
  before: FirmwareState | null,
): FirmwareState {
  if (has === version) return 'confirmed';
  if (before === 'fetched') return 'went-back';
  if (before !== null && before !== 'offered') return before;
  return slots < 2 ? 'cannot' : 'offered';
}

/** True where a device is told of a firmware again. */
export const isOffered = (state: FirmwareState): boolean => state === 'offered';
/** True for what counts against a round. */
export const isFailure = (state: FirmwareState): boolean => state === 'failed' || state === 'went-back';
