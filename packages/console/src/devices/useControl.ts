import {
  followed,
  isControllable,
  isQuiet,
  standingOf,
  standingValue,
  type Datastream,
  type Standing,
} from '@peatmoor/core';
import type { Command, Device } from '@peatmoor/contract';
import { useRead } from '../api';
import { useHas, useHeardUntil, useLastSeen, useLive, useNewest } from '../live';
import { useMay } from '../parts/useMay';
import { useAskFirst } from './useAskFirst';
import { usePress, type Press } from './usePress';

/** A control as it stands: what is wanted, how far that has come, and how to want something else. */
export interface Control extends Press {
  /** The ID of the device; null for a sample. */
  device: string | null;
  /** The key of its datastream. */
  stream: string;
  /** True where whoever is signed in may steer it. */
  may: boolean;
  /** A press is on its way: another is not taken until that has come somewhere. */
  busy: boolean;
  /** Why nothing can be pressed; null where it can. */
  barred: string | null;
  command: Command | undefined;
  /** The datastream that must follow it, where one must. */
  measured: Datastream | undefined;
  /** What the board reports of the same datastream, where it does. */
  reported: number | string | undefined;
  /** What it shows: what is on its way, what its board has, or that nobody knows. */
  standing: Standing;
  /** What is on its way, or else what its board has; undefined where nothing is known. */
  value: number | string | undefined;
  /** Since when its device was not heard, epoch ms, where that is longer than usual; null otherwise. */
  silentSince: number | null;
  /** Up to when is known what came, epoch ms, while the link is lost; null while it is not. */
  asOf: number | null;
}

/** Of a control that is on or off: what its board has, and what is on its way. */
export function onOffOf({ standing }: Pick<Control, 'standing'>): {
  has: boolean | undefined;
  wanted: boolean | undefined;
} {
  const board = standing.is === 'board' ? standing : standing.is === 'wanted' ? standing.board : null;
  return {
    has: board === null ? undefined : board.value === 1,
    wanted: standing.is === 'wanted' ? standing.value === 1 : undefined,
  };
}

/**
 * `device` is null for a sample, of which nothing is known and nothing can be wanted; its datastream has no number. Where its maker wants
 * it so, whoever presses is asked before anything is sent.
 */
export function useControl(
  device: Pick<Device, 'id' | 'name' | 'lastSeenAt'> | null,
  stream: Datastream & { id?: number },
  intervalS: number,
): Control {
  const id = device?.id ?? null;
  // What follows is of the same kind as the control.
  const kinds = useRead('listKinds', undefined, stream.follow !== null).data;
  const streams = kinds?.find((kind) => kind.streams.some((one) => one.id === stream.id))?.streams;
  const measured = stream.follow === null ? undefined : followed(stream.follow, streams ?? []);
  const commands = useRead('listCommands', { params: { device: id ?? '' } }, id !== null).data;
  const pressed = usePress(id ?? '', stream.key);
  const asked = useAskFirst();
  const newest = useNewest(id, stream.key);
  const has = useHas(id, stream.key);
  const seenAt = useLastSeen(id) ?? device?.lastSeenAt ?? null;
  const now = useHeardUntil();
  const { lostAt } = useLive();
  const command = isControllable(stream) ? commands?.find((one) => one.stream === stream.key) : undefined;
  const reported =
    stream.direction === 'both' && newest !== undefined && typeof newest.value !== 'object'
      ? { at: newest.at, value: newest.value }
      : undefined;
  const standing = standingOf(command, has, reported);
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
    may,
    busy: pressed.state !== 'still',
    barred,
    command,
    measured,
    reported: reported?.value,
    standing,
    value: standingValue(standing),
    silentSince: seenAt !== null && isQuiet(seenAt, intervalS, now) ? seenAt : null,
    asOf: lostAt,
  };
}
