import { finite, roundSum } from './rollup';
import type { Columns } from './series';

/** What can be said of the readings of a period. */
export interface Statistics {
  count: number;
  min: number | null;
  max: number | null;
  mean: number | null;
  /** All values added up; the largest number where it is beyond all. */
  sum: number | null;
  /** Standard deviation of the sample; null below two readings. */
  deviation: number | null;
  first: { at: number; value: number } | null;
  last: { at: number; value: number } | null;
  /** The longest time between two readings, in ms; null below two readings. */
  longestGapMs: number | null;
}

/** Gathers statistics part by part, so that a long period need not be held at once. Parts come in order of time. */
export class StatisticsGatherer {
  #count = 0;
  #mean = 0;
  #sum = 0;
  #squares = 0;
  #min = Infinity;
  #max = -Infinity;
  #first: Statistics['first'] = null;
  #last: Statistics['last'] = null;
  #gap = 0;

  add({ times, values }: Columns): void {
    for (let i = 0; i < times.length; i++) {
      const at = times[i]!;
      const value = values[i]!;
      // Welford's method: stable where many values lie close to each other.
      const before = value - this.#mean;
      this.#mean += before / ++this.#count;
      this.#sum = finite(this.#sum + value);
      this.#squares += before * (value - this.#mean);
      if (value < this.#min) this.#min = value;
      if (value > this.#max) this.#max = value;
      if (this.#last !== null) this.#gap = Math.max(this.#gap, at - this.#last.at);
      this.#first ??= { at, value };
      this.#last = { at, value };
    }
  }

  statistics(): Statistics {
    const count = this.#count;
    const some = count > 0;
    return {
      count,
      min: some ? this.#min : null,
      max: some ? this.#max : null,
      mean: some ? this.#mean : null,
      sum: some ? roundSum(this.#sum) : null,
      deviation: count > 1 ? Math.sqrt(this.#squares / (count - 1)) : null,
      first: this.#first,
      last: this.#last,
      longestGapMs: count > 1 ? this.#gap : null,
    };
  }
}
