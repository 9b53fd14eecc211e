import * as core from '@peatmoor/core';
import { dates } from './time';

/** Round times of a span (epoch ms) by the clock of whoever looks, at most about so many, each with its words. */
export function roundTimes(from: number, to: number, most: number): { at: number; words: string }[] {
  const { clock, day, monthOfYear, dateOf } = dates();
  const words = {
    minute: clock,
    day,
    month: monthOfYear,
    year: (at: number) => String(dateOf(at).getFullYear()),
  };
  return core.roundTimes(from, to, most, dates()).map(({ at, begins }) => ({ at, words: words[begins](at) }));
}
