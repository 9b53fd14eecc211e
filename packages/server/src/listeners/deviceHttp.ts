import type { IncomingMessage, ServerResponse } from 'node:http';
import {
  decodeByType,
  decodeJsonReport,
  decodePairs,
  isRefusal,
  refusal,
  type DecodedReport,
  type Refusal,
} from '@peatmoor/core';
import type { ReportAnswer } from '@peatmoor/contract';
import type { Logger } from 'pino';
import type { CommandBook } from '../commands/commands';
import { tooOften, unknownSubDevice, type Ingest } from '../ingest/ingest';
import type { MessageFacts } from '../ingest/message';
import type { AboutBook } from '../ingest/about';
import type { TokenUse } from '../ingest/tokenUse';
import type { Proofs } from '../ingest/proofs';
import { JournalBusyError, type JournalWriter } from '../journal/writer';
import type { DeviceEntry, Registry } from '../registry';
import type { RaisedEvents } from '../rules/raised';
import { remoteAddress } from './address';
import type { Claiming } from '../definitions/claiming';

/** Bytes of one report at the most. */
export const MOST_BYTES = 512 * 1024;
const LONGEST_WAIT_S = 60;
/** How long an answer may take before the device is told to come back. */
const PATIENCE_MS = 10_000;

interface Parts {
  registry: Registry;
  ingest: Ingest;
  journal: JournalWriter;
  proofs: Proofs;
  commands: CommandBook;
  raised: RaisedEvents;
  about: AboutBook;
  claiming: Claiming;
  tokenUse: TokenUse;
  log: Logger;
}

/** Answers what devices ask over HTTP, ahead of the web framework. Only for paths that begin with /device/. */
export type DeviceHttp = (request: IncomingMessage, response: ServerResponse) => void;

interface Answer {
  status: number;
  body: unknown;
  retryAfterS?: number;
}

export function createDeviceHttp(parts: Parts): DeviceHttp {
  const { registry, ingest, journal, proofs, commands, raised, about, claiming, tokenUse, log } = parts;
  const patience = createPatience();
  /** Who is calling, or the answer to somebody whose token is not right. */
  const admit = async (token: string | null, facts: MessageFacts): Promise<DeviceEntry | Answer> => {
    if (token === null)
      return refused(
        401,
        refusal('', 'bad-token', 'No device token came. Send it as "Authorization: Bearer <token>".'),
      );
    const verdict = await registry.verify(token);
    if (verdict.state === 'right') {
      tokenUse.note(verdict.tokenId, facts.receivedAt);
      proofs.reached(verdict.entry, 'tokenRightAt', facts.receivedAt);
      return verdict.entry;
    }
    const reason = refusal('', 'bad-token', verdict.hint);
    if (verdict.entry !== null) {
      ingest.refuse(verdict.entry, reason, facts);
      proofs.trouble(verdict.entry, {
        at: facts.receivedAt,
        reason: reason.reason,
        hint: reason.hint,
        from: facts.from,
      });
    }
    return refused(401, reason);
  };

  const handle = async (
    request: IncomingMessage,
    url: URL,
    facts: MessageFacts,
    body: Buffer | Refusal,
  ): Promise<Answer> => {
    if (request.method === 'POST' && url.pathname === '/device/claim')
      return claim(bearerOf(request), body, facts.from);
    const admitted = await admit(tokenOf(request, url), facts);
    if ('status' in admitted) return admitted;
    const entry = admitted;
    if (!ingest.admits(entry, facts.receivedAt)) {
      ingest.refuse(entry, tooOften(), facts);
      return { ...refused(429, tooOften()), retryAfterS: 1 };
    }
    const forDevice = url.searchParams.get('for');
    const route = `${request.method} ${url.pathname}`;
    if (route === 'POST /device/report') return report(entry, decodeBody(body, url, facts), facts, forDevice);
    if (route === 'GET /device/report')
      return report(
        entry,
        decodePairs(url.searchParams),
        { ...facts, size: Buffer.byteLength(url.search) },
        forDevice,
      );
    const target = forDevice === null ? entry : await registry.subDevice(entry, forDevice);
    if (target === null) return refused(422, unknownSubDevice(entry, forDevice!));
    if (route === 'GET /device/wanted') return wanted(target, url);
    if (route === 'POST /device/applied') return applied(target, body);
    const other = /^POST \/device\/(?:(raise|clear)\/([^/]{1,80})|about)$/.exec(route);
    if (other !== null) return sayOther(target, other[1], decodeURIComponent(other[2] ?? ''), body, facts);
    return refused(
      404,
      refusal(
        '',
        'wrong-topic',
        `There is nothing at ${route}. Devices use POST /device/report, GET /device/wanted, POST /device/applied, /device/raise/<key>, /device/clear/<key>, /device/about and /device/claim.`,
      ),
    );
  };

  const claim = async (secret: string | null, body: Buffer | Refusal, from: string): Promise<Answer> => {
    if (isRefusal(body)) return refused(413, body);
    let asked: unknown;
    try {
      asked = JSON.parse(body.toString('utf8'));
    } catch {
      return refused(400, refusal('', 'unreadable', 'The message is not JSON. Send {"serial": "…"}.'));
    }
    const outcome = await claiming.claim(secret, asked, from);
    if (!isRefusal(outcome.body)) return { status: outcome.status, body: outcome.body };
    return {
      ...refused(outcome.status, outcome.body),
      ...(outcome.retryAfterS !== undefined && { retryAfterS: outcome.retryAfterS }),
    };
  };

  /** Raises or clears an event, or notes what the board says of itself. */
  const sayOther = async (
    entry: DeviceEntry,
    verb: string | undefined,
    key: string,
    body: Buffer | Refusal,
    facts: MessageFacts,
  ): Promise<Answer> => {
    if (isRefusal(body)) return refused(413, body);
    proofs.reached(entry, 'connectedAt', facts.receivedAt);
    const text = body.toString('utf8');
    const bad =
      verb === undefined
        ? await about.note(entry, text)
        : [await (verb === 'raise' ? raised.raise : raised.clear)(entry, key, text)].filter(
            (one) => one !== null,
          );
    for (const one of bad) ingest.refuse(entry, one, { ...facts, size: body.length, raw: body });
    const whole = bad.some(({ reason }) => reason === 'unreadable' || reason === 'unknown-event');
    return { status: whole ? 422 : 200, body: { accepted: whole ? 0 : 1, refused: bad } };
  };

  const report = async (
    entry: DeviceEntry,
    decoded: DecodedReport | Refusal,
    facts: MessageFacts,
    forDevice: string | null,
  ): Promise<Answer> => statusOf(decoded, await ingest.report(entry, decoded, facts, forDevice));

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
    // A board that looks now and then names what it has already: wanted again, that is applied without another call.
    for (const { name, value, commandId } of list)
      if (commandId !== null && sameValue(url.searchParams.get(name), value))
        await commands.applied(entry, name, value);
    return { status: 200, body: Object.fromEntries(list.map(({ name, value }) => [name, plainJson(value)])) };
  };

  const applied = async (entry: DeviceEntry, body: Buffer | Refusal): Promise<Answer> => {
    if (isRefusal(body)) return refused(413, body);
    const decoded = decodeJsonReport(body.toString('utf8'), Date.now());
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

  /** The plain case, without waiting for anything but the journal: a report whose token was right before. */
  const quick = (
    request: IncomingMessage,
    facts: MessageFacts,
    body: Buffer,
    send: (answer: Answer) => void,
  ): boolean => {
    const token = bearerOf(request);
    const known = token === null ? undefined : registry.knownToken(token);
    if (known === undefined || !ingest.admits(known.entry, facts.receivedAt)) return false;
    tokenUse.note(known.tokenId, facts.receivedAt);
    facts.size = body.length;
    facts.raw = body;
    const decoded = decodeByType(facts.form, body, facts.receivedAt, null);
    const answer = ingest.offer(known.entry, decoded, facts);
    if (answer === 'busy' || answer === 'needs-waiting') return false;
    if (answer.accepted === 0) send(statusOf(decoded, answer));
    else journal.onDurable(() => send(statusOf(decoded, answer)));
    return true;
  };

  return (request, response) => {
    const facts: MessageFacts = {
      way: request.method === 'GET' ? 'HTTP GET' : 'HTTP',
      from: remoteAddress(request),
      size: 0,
      receivedAt: Date.now(),
      form: contentType(request),
      raw: null,
    };
    let answered = false;
    const send = ({ status, body, retryAfterS }: Answer): void => {
      if (answered) return;
      answered = true;
      patience.answered(busy);
      const text = JSON.stringify(body);
      response.writeHead(status, {
        'content-type': 'application/json',
        'content-length': Buffer.byteLength(text),
        // Nothing keeps the answer to a POST.
        ...(request.method === 'GET' && { 'cache-control': 'no-store' }),
        ...(retryAfterS !== undefined && { 'retry-after': String(retryAfterS) }),
      });
      response.end(text);
    };
    const busy = (): void => send({ ...refused(503, BUSY), retryAfterS: 2 });
    readBody(request, (body) => {
      if (body === null) return;
      const plain = request.method === 'POST' && request.url === '/device/report';
      if (plain && Buffer.isBuffer(body) && quick(request, facts, body, send)) {
        // A database that is lost under a commit must not leave the device without an answer.
        if (!answered) patience.wait(busy, facts.receivedAt + PATIENCE_MS);
        return;
      }
      const url = new URL(request.url ?? '/', 'http://service');
      const longPoll = url.searchParams.has('wait') ? LONGEST_WAIT_S * 1000 : 0;
      patience.wait(busy, facts.receivedAt + PATIENCE_MS + longPoll);
      handle(request, url, facts, body).then(send, (error: Error) => {
        if (!(error instanceof JournalBusyError))
          log.warn({ error: error.message }, 'a device could not be answered');
        busy();
      });
    });
  };
}

/** Calls whoever waits past its time, looking once a second: a timer for each message would cost more than its decoding. */
function createPatience(): { wait(late: () => void, until: number): void; answered(late: () => void): void } {
  const waiting = new Map<() => void, number>();
  setInterval(() => {
    const now = Date.now();
    for (const [late, until] of waiting) if (until <= now) late();
  }, 1000).unref();
  return {
    wait: (late, until) => void waiting.set(late, until),
    answered: (late) => void waiting.delete(late),
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

function statusOf(decoded: DecodedReport | Refusal, body: ReportAnswer): Answer {
  if (isRefusal(decoded)) return { status: STATUS[decoded.reason] ?? 400, body };
  return { status: body.accepted > 0 ? 200 : 422, body };
}

function sameValue(has: string | null, wanted: string): boolean {
  return has !== null && has !== '' && (has === wanted || Number(has) === Number(wanted));
}

/** A wanted value in JSON: numbers as numbers, the rest as text. */
function plainJson(value: string): number | string {
  return /^-?\d+(\.\d+)?(e[+-]?\d+)?$/i.test(value) ? Number(value) : value;
}

/** A header as it came, the first of that name; without an object of all of them. */
function headerOf(request: IncomingMessage, name: string): string | undefined {
  const { rawHeaders } = request;
  for (let i = 0; i < rawHeaders.length; i += 2) {
    const one = rawHeaders[i]!;
    if (one.length === name.length && one.toLowerCase() === name) return rawHeaders[i + 1];
  }
  return undefined;
}

function bearerOf(request: IncomingMessage): string | null {
  const authorization = headerOf(request, 'authorization');
  return authorization !== undefined && /^bearer /i.test(authorization)
    ? authorization.slice(7).trim()
    : null;
}

function tokenOf(request: IncomingMessage, url: URL): string | null {
  return bearerOf(request) ?? url.searchParams.get('access_token');
}

function contentType(request: IncomingMessage): string {
  const type = headerOf(request, 'content-type') ?? 'application/json';
  const end = type.indexOf(';');
  return (end < 0 ? type : type.slice(0, end)).trim().toLowerCase();
}

function decodeBody(body: Buffer | Refusal, url: URL, facts: MessageFacts): DecodedReport | Refusal {
  if (isRefusal(body)) return body;
  const name = url.searchParams.get('name');
  facts.size = body.length;
  facts.raw = body;
  facts.form = name === null ? facts.form : `${facts.form}?name=${name.slice(0, 40)}`;
  return decodeByType(facts.form.split('?')[0]!, body, facts.receivedAt, name);
}

/** Reads a body within its bounds and calls back once: with its bytes, a refusal, or null where the device hung up. */
function readBody(request: IncomingMessage, done: (body: Buffer | Refusal | null) => void): void {
  let size = 0;
  let parts: Buffer[] = [];
  request.on('data', (part: Buffer) => {
    size += part.length;
    if (size <= MOST_BYTES) parts.push(part);
    else parts = [];
    if (size > 16 * MOST_BYTES) request.destroy();
  });
  request.on('end', () =>
    done(
      size > MOST_BYTES
        ? refusal(
            '',
            'too-large',
            `The message has ${size} bytes; ${MOST_BYTES} are taken at most. Send it in parts.`,
          )
        : parts.length === 1
          ? parts[0]!
          : Buffer.concat(parts),
    ),
  );
  request.on('error', () => done(null));
}
