/** First of the numbers that are sent as values: nine digits, so that all messages are of one length. */
export const FIRST_VALUE = 100_000_000;
/** Times that boards name begin so long before now, in ms, one ms apart. */
const BACK_MS = 6 * 3_600_000;

/** A message whose digits are written anew for each sending: a value of its own, and a time of its own where it names one. */
export interface Payload {
  readonly text: string;
  /** Writes the digits of a number into bytes that hold the text at a place. */
  write(bytes: Buffer, at: number, number: number): void;
}

export function payloadOf(timed: boolean): Payload {
  const start = Date.now() - BACK_MS;
  const text = timed ? `{"at":${start},"level":${FIRST_VALUE}}` : `{"level":${FIRST_VALUE}}`;
  const timeAt = timed ? text.indexOf(String(start)) : -1;
  const valueAt = text.lastIndexOf(String(FIRST_VALUE));
  return {
    text,
    write(bytes, at, number) {
      if (timed) digits(bytes, at + timeAt, 13, start + number);
      digits(bytes, at + valueAt, 9, FIRST_VALUE + number);
    },
  };
}

function digits(bytes: Buffer, at: number, count: number, number: number): void {
  let left = number;
  for (let i = at + count - 1; i >= at; i--) {
    const rest = Math.floor(left / 10);
    bytes[i] = 48 + (left - rest * 10);
    left = rest;
  }
}
