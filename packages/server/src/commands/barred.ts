import { showDuration } from '@peatmoor/core';

/** A value that is not wanted now, however asks for it, and what to do about that. */
export class BarredError extends Error {
  constructor(
    message: string,
    readonly remedy: string,
    /** From when on it may be wanted, epoch ms; null where nobody knows. */
    readonly until: number | null = null,
  ) {
    super(message);
  }
}

/** A control rests after it ran: no interlock, no override and nobody else runs it before its time. */
export class RestsError extends BarredError {
  constructor(title: string, until: number, now: number) {
    super(
      `${title} rests for ${showDuration(until - now)} more: its kind says how long it rests after it ran.`,
      'Wait until then, or change the rest on the page of its kind.',
      until,
    );
  }
}
