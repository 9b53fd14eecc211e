/** Parts of one size that are merged into one of the next: readings are written again once for each level. */
const PARTS_A_LEVEL = 8;

const levelOf = (count: number): number => Math.floor(Math.log(Math.max(1, count)) / Math.log(PARTS_A_LEVEL));

/**
 * How many of a day's last parts a new one at its end is merged with. `counts`: readings of the day's parts in order of time;
 * `fresh`: of the new one; `full`: readings of a part at the most. Parts stay small and few: a part is merged with those
 * before it once there are eight of its size, so that each reading is written again a few times a day, and not with every
 * folding.
 */
export function mergeBack(counts: readonly number[], fresh: number, full: number): number {
  let merged = 0;
  let size = fresh;
  for (;;) {
    const level = levelOf(size);
    let more = 0;
    let sum = size;
    while (more < counts.length - merged) {
      const next = counts[counts.length - 1 - merged - more]!;
      if (levelOf(next) > level || sum + next > full) break;
      sum += next;
      more++;
    }
    // What is nearly a full part is merged though it takes fewer than eight.
    if (more < PARTS_A_LEVEL - 1 && !(more > 1 && sum > full * 0.6)) return merged;
    merged += more;
    size = sum;
  }
}
