import type { IncomingMessage } from 'node:http';
import { counted, MOST_MESSAGE_BYTES, refusal, type Refusal } from '@peatmoor/core';

/** Bytes that are taken of somebody who is not known yet. */
const MOST_BEFORE_ADMISSION = 64 * 1024;
/** Bytes that are read and dropped, so that the answer to a message that is too large can be read. */
const MOST_DROPPED = 8 * MOST_MESSAGE_BYTES;

/**
 * Reads a body within its bounds and calls back once: with its bytes, a refusal, or null where the device hung up. `admit`
 * is asked before more is kept than anybody may send; false ends the reading.
 */
export function readBody(
  request: IncomingMessage,
  admit: () => Promise<boolean>,
  done: (body: Buffer | Refusal | null) => void,
): void {
  let size = 0;
  let parts: Buffer[] = [];
  let asked = false;
  let ended = false;
  const finish = (outcome: Buffer | Refusal | null): void => {
    if (ended) return;
    ended = true;
    parts = [];
    done(outcome);
  };
  request.on('data', (part: Buffer) => {
    size += part.length;
    if (ended) return void (size > MOST_DROPPED && request.destroy());
    if (size > MOST_MESSAGE_BYTES) {
      parts = [];
      if (size > MOST_DROPPED) request.destroy();
      return;
    }
    parts.push(part);
    if (asked || size <= MOST_BEFORE_ADMISSION) return;
    asked = true;
    request.pause();
    admit().then(
      (admitted) => {
        if (!admitted) finish(Buffer.alloc(0));
        request.resume();
      },
      () => request.destroy(),
    );
  });
  request.on('end', () =>
    finish(
      size > MOST_MESSAGE_BYTES
        ? refusal(
            '',
            'too-large',
            `The message has ${counted(size, 'byte')}; ${MOST_MESSAGE_BYTES} are taken at most. Send it in parts.`,
          )
        : parts.length === 1
          ? parts[0]!
          : Buffer.concat(parts),
    ),
  );
  request.on('error', () => finish(null));
}
