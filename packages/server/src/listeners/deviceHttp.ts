import type { IncomingMessage, ServerResponse } from 'node:http';
import {
  decodeJsonReport,
  decodePairs,
  isRefusal,
  refusal,
  type DecodedReport,
  type Refusal,
} from '@peatmoor/core';
import type { Logger } from 'pino';
import type { CommandBook } from '../commands/commands';
import { tooOften, type Ingest, type MessageFacts } from '../ingest/ingest';
import type { Proofs } from '../ingest/proofs';
import { JournalBusyError } from '../journal/writer';
import type { DeviceEntry, Registry } from '../registry';
import { remoteAddress } from './address';

/** Bytes of one report at the most. */
export const MOST_BYTES = 512 * 1024;
const LONGEST_WAIT_S = 60;
/** How long an answer may take before the device is told to come back. */
const PATIENCE_MS = 10_000;

interface Parts {
  registry: Registry;
  ingest: Ingest;
  proofs: Proofs;
  commands: CommandBook;
  log: Logger;
}

/** Answers what devices ask over HTTP, ahead of the web framework. Only for paths that begin with /device/. */
export type DeviceHttp = (request: IncomingMessage, response: ServerResponse) => void;

interface Answer {
  status: number;
  body: unknown;
  retryAfterS?: number;
}

export function createDeviceHttp({ registry, ingest, proofs, commands, log }: Parts): DeviceHttp {
  const handle = async (request: IncomingMessage, url: URL, receivedAt: number): Promise<Answer> => {
    const from = remoteAddress(request);
    const way = request.method === 'GET' ? 'HTTP GET' : 'HTTP';
    const token = tokenOf(request, url);
    if (token === null)
      return refused(
        401,
        refusal('', 'bad-token', 'No device token came. Send it as "Authorization: Bearer <token>".'),
      );
    const verdict = await registry.verify(token);
    if (verdict.state !== 'right') {
      const reason = refusal('', 'bad-token', verdict.hint);
      if (verdict.entry !== null) {
        ingest.refuse(verdict.entry, reason, { way, from, size: 0, receivedAt });
        proofs.trouble(verdict.entry, { at: receivedAt, reason: reason.reason, hint: reason.hint, from });
      }
      return refused(401, reason);
    }
    const { entry } = verdict;
    proofs.reached(entry, 'tokenRightAt', receivedAt);
    const facts: MessageFacts = { way, from, size: 0, receivedAt };
    if (!ingest.admits(entry, receivedAt)) {
      ingest.refuse(entry, tooOften(), facts);
      return { ...refused(429, tooOften()), retryAfterS: 1 };
    }
    const route = `${request.method} ${url.pathname}`;
    if (route === 'POST /device/report') return report(entry, await decodeBody(request, facts), facts);
    if (route === 'GET /device/report')
      return report(entry, decodePairs(url.searchParams), { ...facts, size: Buffer.byteLength(url.search) });
    if (route === 'GET /device/wanted') return wanted(entry, url);
    if (route === 'POST /device/applied') return applied(entry, await readBody(request));
    return refused(
      404,
      refusal(
        '',
        'wrong-topic',
        `There is nothing at ${route}. Devices use POST /device/report, GET /device/wanted and POST /device/applied.`,
      ),
    );
  };

  const report = async (
    entry: DeviceEntry,
    decoded: DecodedReport | Refusal,
    facts: MessageFacts,
  ): Promise<Answer> => {
    const answer = await ingest.report(entry, decoded, facts);
    if (isRefusal(decoded)) return { status: STATUS[decoded.reason] ?? 400, body: answer };
    return { status: answer.accepted > 0 ? 200 : 422, body: answer };
  };

  const wanted = async (entry: DeviceEntry, url: URL): Promise<Answer> => {
    proofs.reached(entry, 'connectedAt', Date.now());
    const waitS = Math.min(LONGEST_WAIT_S, Number(url.searchParams.get('wait') ?? 0));
    if (Number.isNaN(waitS) || waitS < 0)
      return refused(400, refusal('wait', 'wrong-type', 'wait is a number of seconds, 60 at most.'));
    let list = await commands.wanted(entry);
    if (waitS > 0 && !list.some(({ commandId }) => commandId !== null)) {
      await commands.waitForChange(entry.rowId, waitS * 1000);
      list = await commands.wanted(entry);
    }
    await commands.delivered(entry, list);
    return { status: 200, body: Object.fromEntries(list.map(({ name, value }) => [name, value])) };
  };

  const applied = async (entry: DeviceEntry, body: Buffer | Refusal): Promise<Answer> => {
    if (isRefusal(body)) return refused(413, body);
    const decoded = decodeJsonReport(body.toString('utf8'));
    if (isRefusal(decoded)) return refused(400, decoded);
    const outcomes = await Promise.all(
      decoded.rows.flatMap(({ values }) =>
        values.map(([name, raw]) => commands.applied(entry, name, raw === null ? null : String(raw))),
      ),
    );
    const bad = outcomes.filter((one) => one !== null);
    const accepted = outcomes.length - bad.length;
    return { status: accepted > 0 ? 200 : 422, body: { accepted, refused: bad } };
  };

  return (request, response) => {
    const receivedAt = Date.now();
    let answered = false;
    const send = ({ status, body, retryAfterS }: Answer): void => {
      if (answered) return;
      answered = true;
      clearTimeout(timer);
      const text = JSON.stringify(body);
      response.writeHead(status, {
        'content-type': 'application/json',
        'content-length': Buffer.byteLength(text),
        'cache-control': 'no-store',
        ...(retryAfterS !== undefined && { 'retry-after': String(retryAfterS) }),
      });
      response.end(text);
    };
    const busy = (): void => send({ ...refused(503, BUSY), retryAfterS: 2 });
    const url = new URL(request.url ?? '/', 'http://service');
    const longPoll = url.searchParams.has('wait') ? LONGEST_WAIT_S * 1000 : 0;
    const timer = setTimeout(busy, PATIENCE_MS + longPoll);
    handle(request, url, receivedAt).then(send, (error: Error) => {
      if (!(error instanceof JournalBusyError))
        log.warn({ error: error.message }, 'a device could not be answered');
      busy();
    });
  };
}

const BUSY: Refusal = {
  name: '',
  reason: 'too-often',
  hint: 'The service cannot store anything just now. Nothing of this message was kept; send it again in a few seconds.',
};
const STATUS: Partial<Record<Refusal['reason'], number>> = { 'too-large': 413, 'no-meaning': 415 };

function refused(status: number, one: Refusal): Answer {
  return { status, body: { accepted: 0, refused: [one] } };
}

function tokenOf(request: IncomingMessage, url: URL): string | null {
  const header = /^bearer\s+(.+)$/i.exec(request.headers.authorization ?? '')?.[1];
  return header ?? url.searchParams.get('access_token');
}

async function decodeBody(request: IncomingMessage, facts: MessageFacts): Promise<DecodedReport | Refusal> {
  const type = (request.headers['content-type'] ?? 'application/json').split(';')[0]!.trim().toLowerCase();
  const body = await readBody(request);
  if (isRefusal(body)) return body;
  facts.size = body.length;
  // curl sends the form type unless told otherwise; a body that begins like JSON is what its writer meant.
  const first = body.subarray(0, 20).toString('utf8').trimStart()[0];
  if (type === 'application/json' || type === 'text/plain' || first === '{' || first === '[')
    return decodeJsonReport(body.toString('utf8'));
  if (type === 'application/x-www-form-urlencoded')
    return decodePairs(new URLSearchParams(body.toString('utf8')));
  return refusal(
    '',
    'no-meaning',
    `Reports of type ${type.slice(0, 60)} are not taken. Send application/json.`,
  );
}

/** The whole body; a refusal if it is too large (the rest is read and dropped, so that the answer arrives). */
function readBody(request: IncomingMessage): Promise<Buffer | Refusal> {
  return new Promise((resolve, reject) => {
    const parts: Buffer[] = [];
    let size = 0;
    request.on('data', (part: Buffer) => {
      size += part.length;
      if (size <= MOST_BYTES) parts.push(part);
      else parts.length = 0;
      if (size > 16 * MOST_BYTES) request.destroy();
    });
    request.on('end', () =>
      resolve(
        size > MOST_BYTES
          ? refusal(
              '',
              'too-large',
              `The message has ${size} bytes; ${MOST_BYTES} are taken at most. Send it in parts.`,
            )
          : Buffer.concat(parts),
      ),
    );
    request.on('error', reject);
    request.on('aborted', () => reject(new Error('the device hung up')));
  });
}
