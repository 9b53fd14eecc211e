import type { IncomingMessage, ServerResponse } from 'node:http';
import { isRefusal, refusal, type DecodedReport, type Refusal } from '@peatmoor/core';
import type { ReportAnswer } from '@peatmoor/contract';

/** What a device is answered. */
export interface Answer {
  status: number;
  body: unknown;
  /** Sent as they are, in the place of the body. */
  bytes?: Buffer;
  /** Where these bytes stand in the whole. */
  range?: string;
  retryAfterS?: number;
  /** Methods that the address has, where it is not asked by one of them. */
  allow?: string;
}

const STATUS: Partial<Record<Refusal['reason'], number>> = {
  'too-large': 413,
  'no-meaning': 415,
  'bad-token': 401,
  'too-often': 429,
};

export function refused(status: number, one: Refusal): Answer {
  return { status, body: { accepted: 0, refused: [one] } };
}

/** Nothing was done, and coming again later makes sense. */
export function busy(): Answer {
  const hint =
    'The service cannot store anything just now. Nothing of this message was kept; send it again in a few seconds.';
  return { ...refused(503, refusal('', 'too-often', hint)), retryAfterS: 2 };
}

/** Whether something was done is not known: the answer to a call that may be made twice without harm. */
export function unanswered(): Answer {
  const hint = 'The service could not answer in time. Send this again in a few seconds.';
  return { ...refused(503, refusal('', 'too-often', hint)), retryAfterS: 2 };
}

/** The answer to a message that was read: 200 where anything of it was accepted, 422 where nothing. */
export function statusOf(decoded: DecodedReport | Refusal, body: ReportAnswer): Answer {
  if (isRefusal(decoded)) return { status: STATUS[decoded.reason] ?? 400, body };
  if (body.accepted > 0) return { status: 200, body };
  return body.refused.length === 1 && body.refused[0]!.reason === 'too-often'
    ? { status: 429, body, retryAfterS: 1 }
    : { status: 422, body };
}

/** Writes an answer, once. */
export function write(
  request: IncomingMessage,
  response: ServerResponse,
  { status, body, bytes, range, retryAfterS, allow }: Answer,
): void {
  if (response.headersSent) return;
  const text = bytes ?? JSON.stringify(body);
  response.writeHead(status, {
    'content-type': bytes === undefined ? 'application/json' : 'application/octet-stream',
    ...(range !== undefined && { 'content-range': range, 'accept-ranges': 'bytes' }),
    'content-length': Buffer.byteLength(text),
    // Nothing keeps the answer to a POST.
    ...(request.method === 'GET' && { 'cache-control': 'no-store' }),
    ...(retryAfterS !== undefined && { 'retry-after': String(retryAfterS) }),
    ...(status === 401 && { 'www-authenticate': 'Bearer realm="device"' }),
    ...(allow !== undefined && { allow }),
  });
  response.end(text);
}

/** Calls whoever waits past its time, looking once a second: a timer for each message would cost more than its decoding. */
export interface Patience {
  wait(late: () => void, forMs: number): void;
  answered(late: () => void): void;
}

export function createPatience(): Patience {
  const waiting = new Map<() => void, number>();
  setInterval(() => {
    const now = performance.now();
    for (const [late, until] of waiting) if (until <= now) late();
  }, 1000).unref();
  return {
    wait: (late, forMs) => void waiting.set(late, performance.now() + forMs),
    answered: (late) => void waiting.delete(late),
  };
}
