import { isControllable, type Datastream } from '@peatmoor/core';
import type { Command } from '@peatmoor/contract';
import { useRead } from '../api';
import { useNewest } from '../live';
import { usePress, type Press } from './usePress';
import { wantedValue } from './wanted';

/** A control as it stands: what is wanted, how far that has come, and how to want something else. */
export interface Control extends Press {
  command: Command | undefined;
  /** What the board reports of the same datastream, where it does. */
  reported: number | string | undefined;
  /** What is wanted, or else reported; undefined where nothing is known. */
  value: number | string | undefined;
}

/** `device` is null for a sample, of which nothing is known and nothing can be wanted. */
export function useControl(device: string | null, stream: Datastream): Control {
  const commands = useRead('listCommands', { params: { device: device ?? '' } }, device !== null).data;
  const press = usePress(device ?? '', stream.key);
  const newest = useNewest(device, stream.key)?.value;
  const command = isControllable(stream) ? commands?.find((one) => one.stream === stream.key) : undefined;
  const reported = stream.direction === 'both' && typeof newest !== 'object' ? newest : undefined;
  return { ...press, command, reported, value: wantedValue(command, reported) };
}
