import fs from 'node:fs';
import path from 'node:path';
import { diskState, fullAt, type DiskSample, type DiskState } from '@peatmoor/core';
import type { Logger } from 'pino';
import { now as clockNow } from '../clock';

/** How often it is looked, and how often what was free is written down, in ms. */
const LOOK_MS = 5000;
const SAMPLE_MS = 3_600_000;
/** What is written down: a month. */
const MOST_SAMPLES = 31 * 24;

/** How the disk of the data folder stands. */
export interface DiskWatch {
  state(): { state: DiskState; free: number; total: number; fullAt: number | null };
  stop(): void;
}

/**
 * Looks at the disk of a folder. At the brink (`full`) it says so before the database finds out, so that readings are refused in time
 * and everything else still works; they are taken again once there is room.
 */
export function startDiskWatch(folder: string, onFull: (full: boolean) => void, log: Logger): DiskWatch {
  const file = path.join(folder, 'disk-uses.json');
  let samples = read(file);
  let full = false;
  let found: ReturnType<DiskWatch['state']> = {
    state: 'good',
    free: Infinity,
    total: Infinity,
    fullAt: null,
  };
  const look = (): void => {
    const { bavail, blocks, bsize } = fs.statfsSync(folder);
    const [free, total, now] = [bavail * bsize, blocks * bsize, clockNow()];
    samples = samples.filter(({ at }) => at <= now);
    if (now - (samples.at(-1)?.at ?? -Infinity) >= SAMPLE_MS) {
      samples = [...samples, { at: now, free }].slice(-MOST_SAMPLES);
      // A disk that takes nothing more is no reason to end.
      fs.writeFile(file, JSON.stringify(samples), { mode: 0o600 }, () => undefined);
    }
    const at = fullAt([...samples, { at: now, free }]);
    found = { state: diskState(free, total, at, now), free, total, fullAt: at };
    if ((found.state === 'full') === full) return;
    full = found.state === 'full';
    onFull(full);
    if (full)
      log.error({ free }, 'the disk is full but for a rest: readings are refused until there is room');
    else log.info({ free }, 'there is room on the disk again: readings are taken');
  };
  const safely = (): void => {
    try {
      look();
    } catch (error) {
      log.debug({ err: error as Error }, 'the disk could not be looked at');
    }
  };
  const timer = setInterval(safely, LOOK_MS);
  safely();
  return { state: () => found, stop: () => clearInterval(timer) };
}

function read(file: string): DiskSample[] {
  try {
    const list = JSON.parse(fs.readFileSync(file, 'utf8')) as DiskSample[];
    const now = clockNow();
    return list.filter(({ at, free }) => Number.isFinite(free) && at <= now);
  } catch {
    return [];
  }
}
