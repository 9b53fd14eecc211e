import fs from 'node:fs';

/** The middle of several figures. */
export function median(figures: readonly number[]): number {
  const sorted = [...figures].sort((a, b) => a - b);
  const half = sorted.length >> 1;
  return sorted.length % 2 === 1 ? sorted[half]! : (sorted[half - 1]! + sorted[half]!) / 2;
}

/** One comparison: our rates and the baseline's, round by round, in answers a second. */
export interface Comparison {
  name: string;
  ours: number[];
  baseline: number[];
  budget: number;
}

/** A comparison as a row: medians, their ratio round by round, and the budget it is held against. */
export function toRow({ name, ours, baseline, budget }: Comparison): string {
  const ratios = ours.map((rate, i) => rate / baseline[i]!);
  const ratio = median(ratios);
  const number = (value: number): string => Math.round(value).toLocaleString('en');
  const verdict = ratio >= budget ? 'reached' : 'falls short';
  return `| ${name} | ${number(median(ours))} | ${number(median(baseline))} | ${ratio.toFixed(2)} (${Math.min(...ratios).toFixed(2)}–${Math.max(...ratios).toFixed(2)}) | ${budget.toFixed(2)} | ${verdict} |`;
}

export const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

/** The figure that 99 of 100 do not exceed; NaN for none. */
export function p99(figures: readonly number[]): number {
  const sorted = [...figures].sort((a, b) => a - b);
  return sorted[Math.min(sorted.length - 1, Math.ceil(sorted.length * 0.99) - 1)] ?? Number.NaN;
}

/** How long a piece of work takes, in ms. */
export async function timed(work: () => Promise<unknown>): Promise<number> {
  const start = performance.now();
  await work();
  return performance.now() - start;
}

/**
 * How much of the processors' time was given to other machines since this was called, 0 to 1: what the host of a virtual machine took
 * (steal, proc_stat(5)). 0 where it does not say.
 */
export function stolenSince(): () => number {
  const read = (): { stolen: number; whole: number } => {
    if (!fs.existsSync('/proc/stat')) return { stolen: 0, whole: 0 };
    const [line] = fs.readFileSync('/proc/stat', 'utf8').split('\n');
    // user, nice, system, idle, iowait, irq, softirq, steal; guests are counted in user.
    const parts = line!.trim().split(/\s+/).slice(1, 9).map(Number);
    return { stolen: parts[7] ?? 0, whole: parts.reduce((sum, part) => sum + part, 0) };
  };
  const before = read();
  return () => {
    const { stolen, whole } = read();
    return whole > before.whole ? (stolen - before.stolen) / (whole - before.whole) : 0;
  };
}
