import { followed, isControllable, type Datastream } from '@peatmoor/core';
import type { Command, Device } from '@peatmoor/contract';
import { useRead } from '../api';
import { useNewest } from '../live';
import { useMay } from '../parts/useMay';
import { useAskFirst } from './useAskFirst';
import { usePress, type Press } from './usePress';
import { wantedValue } from './wanted';

/** A control as it stands: what is wanted, how far that has come, and how to want something else. */
export interface Control extends Press {
  /** The ID of the device; null for a sample. */
  device: string | null;
  /** The key of its datastream. */
  stream: string;
  /** True while a press is taken: nothing is under way, and whoever is signed in may steer. */
  ready: boolean;
  /** Why nothing can be pressed; null where it can. */
  barred: string | null;
  command: Command | undefined;
  /** The datastream that must follow it, where one must. */
  measured: Datastream | undefined;
  /** What the board reports of the same datastream, where it does. */
  reported: number | string | undefined;
  /** What is wanted, or else reported; undefined where nothing is known. */
  value: number | string | undefined;
}

/**
 * `device` is null for a sample, of which nothing is known and nothing can be wanted; its datastream has no number. Where its maker wants
 * it so, whoever presses is asked before anything is sent.
 */
export function useControl(
  device: Pick<Device, 'id' | 'name'> | null,
  stream: Datastream & { id?: number },
): Control {
  const id = device?.id ?? null;
  // What follows is of the same kind as the control.
  const kinds = useRead('listKinds', undefined, stream.follow !== null).data;
  const streams = kinds?.find((kind) => kind.streams.some((one) => one.id === stream.id))?.streams;
  const measured = stream.follow === null ? undefined : followed(stream.follow, streams ?? []);
  const commands = useRead('listCommands', { params: { device: id ?? '' } }, id !== null).data;
  const pressed = usePress(id ?? '', stream.key);
  const asked = useAskFirst();
  const newest = useNewest(id, stream.key)?.value;
  const command = isControllable(stream) ? commands?.find((one) => one.stream === stream.key) : undefined;
  const reported = stream.direction === 'both' && typeof newest !== 'object' ? newest : undefined;
  // What is granted to be steered is known to the service: it says so where a press goes further.
  const mayAll = useMay('operate');
  const granted = useRead('me').data?.steers ?? false;
  const may = mayAll || granted;
  const barred = may ? null : 'You may look, not steer.';
  return {
    ...pressed,
    device: id,
    stream: stream.key,
    press: (value) =>
      void asked(device?.name ?? '', stream, value).then((yes) => yes && pressed.press(value)),
    ready: may && pressed.state === 'still',
    barred,
    command,
    measured,
    reported,
    value: wantedValue(command, reported),
  };
}
