import {
  type Band,
  bandOf,
  bandWords,
  calibrate,
  followed,
  isWithin,
  showDuration,
  showReading,
  type Datastream,
} from '@peatmoor/core';
import { readColumns, type Sources } from '../history/readings';
import { shownReading } from '../history/newest';
import type { DeviceEntry, DeviceStream } from '../registry';
import type { CommandRow } from '../store/models';
import { findOne } from '../store/rows';
import type { CommandLife } from './life';

/** What is kept with a command of what must follow it. */
export type FollowColumns = Pick<
  CommandRow,
  'followStreamId' | 'followMin' | 'followMax' | 'followS' | 'followUntil' | 'confirmedAt'
>;

const NOTHING: FollowColumns = {
  followStreamId: null,
  followMin: null,
  followMax: null,
  followS: null,
  followUntil: null,
  confirmedAt: null,
};

/** What must be measured for commands to be confirmed. Whether it was is in the readings; this says it as soon as one comes. */
export interface Following {
  /** What must follow, worked out when the value is wanted. */
  plan(entry: DeviceEntry, stream: DeviceStream, wanted: number | string): FollowColumns;
  /** From now on this command of its control is the one that waits to be followed. */
  note(row: CommandRow): void;
  /** True where a command of the device waits for a reading. */
  awaits(deviceRowId: number): boolean;
  /** A reading that is durable. */
  measured(entry: DeviceEntry, stream: DeviceStream, at: number, value: number): void;
  /** Looks in the readings whether it was followed, as its time is over. */
  end(entry: DeviceEntry, row: CommandRow): Promise<void>;
}

/** How far a board's clock may be behind: a reading of just before it was told counts. */
const BEHIND_MS = 2000;

const followBand = ({ followMin: min, followMax: max }: Waiting): Band => ({ min, max });

type Waiting = Pick<
  CommandRow,
  'id' | 'streamId' | 'createdAt' | 'followStreamId' | 'followMin' | 'followMax'
>;

export function createFollowing(
  sources: Sources,
  life: CommandLife,
  onFailure: (error: Error) => void,
): Following {
  /** By device and control: the newest only, as nobody waits for what an older one led to. */
  const waiting = new Map<number, Map<number, Waiting>>();
  const forget = (deviceRowId: number, { id, streamId }: Pick<CommandRow, 'id' | 'streamId'>): void => {
    const ofDevice = waiting.get(deviceRowId);
    if (ofDevice?.get(streamId)?.id !== id) return;
    ofDevice.delete(streamId);
    if (ofDevice.size === 0) waiting.delete(deviceRowId);
  };
  const happen = async (
    entry: DeviceEntry,
    id: number,
    happening: 'followed' | 'unfollowed',
    note: string,
  ): Promise<void> => {
    const row = await findOne(sources.store.models.commands, { id });
    if (row !== null) await life.happen(entry, row, happening, note);
  };
  /** Commands that a reading is just being taken for. */
  const looked = new Set<number>();
  const take = async (entry: DeviceEntry, id: number, at: number): Promise<void> => {
    const row = await findOne(sources.store.models.commands, { id });
    // What was so before the board was told proves nothing.
    if (row === null || row.sentAt === null || at < row.sentAt - BEHIND_MS) return;
    forget(entry.rowId, row);
    await life.happen(entry, row, 'followed');
  };
  return {
    plan(entry, stream, wanted) {
      const measured = stream.follow === null ? undefined : followed(stream.follow, entry.streams);
      if (measured === undefined) return NOTHING;
      const newest = sources.recent.newest(measured.seriesId);
      const before = newest && shownReading(measured, newest.at, newest.value).value;
      const band = bandOf(stream.follow!, stream, wanted, typeof before === 'number' ? before : undefined);
      if (band === null) return NOTHING;
      return {
        ...NOTHING,
        followStreamId: measured.streamId,
        followMin: band.min,
        followMax: band.max,
        followS: stream.follow!.withinS,
      };
    },
    note(row) {
      const ofDevice = waiting.get(row.deviceRowId) ?? new Map<number, Waiting>();
      if (row.followStreamId === null) ofDevice.delete(row.streamId);
      else ofDevice.set(row.streamId, row);
      if (ofDevice.size > 0) waiting.set(row.deviceRowId, ofDevice);
      else waiting.delete(row.deviceRowId);
    },
    awaits: (deviceRowId) => waiting.has(deviceRowId),
    measured(entry, stream, at, value) {
      for (const one of waiting.get(entry.rowId)?.values() ?? []) {
        if (one.followStreamId !== stream.streamId || at < one.createdAt - BEHIND_MS || looked.has(one.id))
          continue;
        const right = calibrate(stream.calibrations, at, value);
        if (!isWithin(followBand(one), right)) continue;
        looked.add(one.id);
        take(entry, one.id, at)
          .catch(onFailure)
          .finally(() => looked.delete(one.id));
      }
    },
    async end(entry, row) {
      const measured = entry.streams.find(({ streamId }) => streamId === row.followStreamId);
      if (measured === undefined) return happen(entry, row.id, 'unfollowed', 'what should follow it is gone');
      const { times, values } = (
        await readColumns(
          sources,
          [measured],
          (row.sentAt ?? row.createdAt) - BEHIND_MS,
          row.followUntil! + 1,
        )
      ).get(measured.seriesId)!;
      if (values.some((value) => isWithin(followBand(row), value)))
        return happen(entry, row.id, 'followed', '');
      await happen(entry, row.id, 'unfollowed', missing(row, measured, times.length, values.at(-1)));
    },
  };
}

/** Why a command was not confirmed: what was measured, and what should have been. */
function missing(row: CommandRow, measured: Datastream, count: number, last: number | undefined): string {
  const aim = bandWords(followBand(row), measured);
  const time = showDuration((row.followS ?? 0) * 1000);
  return count === 0
    ? `no reading of ${measured.title} came in ${time}`
    : `${measured.title} should be ${aim}, and was ${showReading(measured, last!)} after ${time}`;
}
