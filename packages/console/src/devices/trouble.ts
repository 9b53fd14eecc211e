import type { Device } from '@peatmoor/contract';

/** How much a device asks for attention: open events first, then quiet devices. */
export function troubleOfDevice({ openEvents, presence }: Device): number {
  return (openEvents > 0 ? 2 : 0) + (presence.state === 'quiet' ? 1 : 0);
}
