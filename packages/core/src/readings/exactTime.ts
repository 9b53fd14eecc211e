/** Readings without a time of their own lie at this part of a millisecond, or up to below the second, in steps of a 1024th. */
const PARTS = { from: 0.25, below: 0.75, steps: 1024 };
/** Digits of a time after the whole second: nanoseconds, so that a step is told from the next. */
const DIGITS = 9;

/** A time (epoch ms) in ISO 8601, with as many digits as it needs: three, and more where it lies between two milliseconds. */
export function exactTime(at: number): string {
  const whole = Math.floor(at);
  const text = new Date(whole).toISOString();
  if (whole === at) return text;
  const rest = Math.round((at - whole) * 10 ** (DIGITS - 3));
  return `${text.slice(0, -1)}${String(rest)
    .padStart(DIGITS - 3, '0')
    .replace(/0+$/, '')}Z`;
}

/**
 * Where between two milliseconds a time lies that an export wrote, from the digits of its fraction of a second: 0 where it lies at one, or
 * where such a part is given to no reading (another program measured finer than a millisecond).
 */
export function partOfMs(digits: string): number {
  const rest = Number(`0.${digits.slice(3) || '0'}`);
  const part = Math.round(rest * PARTS.steps) / PARTS.steps;
  const isGiven = part >= PARTS.from && part < PARTS.below && Math.abs(part - rest) <= 10 ** (3 - DIGITS);
  return isGiven ? part : 0;
}
