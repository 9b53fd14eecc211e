import type { Value } from '@peatmoor/core';
import type { Command } from '@peatmoor/contract';

/** What a control shows: the value asked for while that is under way or applied, else what the board last said. */
export function wantedValue(
  command: Command | undefined,
  reported: Value | undefined,
): number | string | undefined {
  if (typeof reported === 'object') return undefined;
  if (command === undefined || command.state === 'refused' || command.state === 'expired') return reported;
  return ['applied', 'confirmed', 'not-confirmed'].includes(command.state)
    ? (reported ?? command.value)
    : command.value;
}
