import type { IncomingMessage, ServerResponse } from 'node:http';
import { decodeByType, isRefusal, refusal } from '@peatmoor/core';
import type { Logger } from 'pino';
import type { Admission } from '../../ingest/admission';
import type { ArrivalBook } from '../../ingest/arrivals';
import type { MessageFacts } from '../../ingest/message';
import { failed, tooOften, type Verbs } from '../../ingest/verbs';
import type { WorkRate } from '../../ingest/workRate';
import { JournalBusyError, type JournalWriter } from '../../journal/writer';
import { remoteAddress } from '../address';
import { busy, createPatience, refused, statusOf, unanswered, write, type Answer } from './answer';
import { readBody } from './body';
import { LONGEST_WAIT_S, nothingAt, readJson, routesOf, type Call } from './deviceRoutes';
import { bearerOf, contentType, headerOf } from './headers';
import { now as clockNow } from '../../clock';
import { failedForNow } from '../../store/lost';

/** Bytes of a message that is refused unread where its device sends far too much. */
const LONG_BYTES = 16 * 1024;
/** How long an answer may take before the device is told to come back. */
const PATIENCE_MS = 10_000;
/** How long a device waits at the most for what is in the queue of the journal; then it is left without an answer. */
const KEPT_MS = 120_000;

interface Parts {
  admission: Admission;
  verbs: Verbs;
  rate: WorkRate;
  arrivals: ArrivalBook;
  journal: JournalWriter;
  log: Logger;
}

/** Answers what devices ask over HTTP, ahead of the web framework. Only for paths that begin with /device/. */
export type DeviceHttp = (request: IncomingMessage, response: ServerResponse) => void;

export function createDeviceHttp(parts: Parts): DeviceHttp {
  const { admission, verbs, rate, arrivals, journal, log } = parts;
  const patience = createPatience();
  const routes = routesOf(parts);

  /** Finds out who calls and what they want. */
  const handle = async (call: Call): Promise<Answer> => {
    const { request, url, facts } = call;
    const route = `${request.method} ${url.pathname}`;
    if (route === 'GET /device/time') return { status: 200, body: { now: clockNow() } };
    if (route === 'POST /device/claim') return claim(call);
    const admitted = await admission.admit(bearerOf(request) ?? url.searchParams.get('access_token'), facts);
    if (isRefusal(admitted)) return refused(401, admitted);
    const { entry } = admitted;
    if (!rate.admits(entry.rowId)) {
      arrivals.refuse(entry, [tooOften()], facts);
      return {
        ...refused(429, tooOften()),
        retryAfterS: Math.ceil(rate.waitMs(entry.rowId) / 1000) || 1,
      };
    }
    const action = routes.find(({ pattern }) => pattern.test(route))?.action;
    if (action === undefined) return nothingAt(route);
    // Reports are counted by their values, where those are known.
    if (Buffer.isBuffer(call.body) && url.pathname !== '/device/report')
      rate.charge(entry.rowId, 0, call.body.length);
    try {
      return await action(call, entry);
    } catch (error) {
      // What failed for the moment is to come again.
      if (error instanceof JournalBusyError || failedForNow(error as Error)) return busy();
      // A message over which something fails must not end more than itself.
      log.error({ err: error, device: entry.id, route: url.pathname }, 'a message could not be handled');
      arrivals.refuse(entry, [failed()], { ...facts, raw: Buffer.isBuffer(call.body) ? call.body : null });
      return refused(400, failed());
    }
  };

  const claim = async ({ request, body, facts }: Call): Promise<Answer> => {
    if (isRefusal(body)) return refused(413, body);
    const asked = readJson(body);
    if (asked === undefined)
      return refused(400, refusal('', 'unreadable', 'The message is not JSON. Send {"serial": "…"}.'));
    const outcome = await verbs.claim(bearerOf(request), asked, facts.from);
    if (!isRefusal(outcome.body)) return { status: outcome.status, body: outcome.body };
    const { retryAfterS } = outcome;
    return { ...refused(outcome.status, outcome.body), ...(retryAfterS !== undefined && { retryAfterS }) };
  };

  /** The plain case, without waiting for anything but the journal: a report whose token was right before. */
  const quick = (
    request: IncomingMessage,
    facts: MessageFacts,
    body: Buffer,
    send: (answer: Answer) => void,
  ): 'not' | 'waits' | 'done' => {
    const token = bearerOf(request);
    const known = token === null ? undefined : admission.known(token, facts.receivedAt);
    if (known === undefined || !rate.admits(known.entry.rowId)) return 'not';
    const { entry } = known;
    facts.size = body.length;
    facts.raw = body;
    try {
      const decoded = decodeByType(facts.form, body, facts.receivedAt, null);
      const answer = verbs.report.offer(entry, decoded, facts);
      if (answer === 'busy' || answer === 'needs-waiting') {
        rate.giveBack(entry.rowId);
        return 'not';
      }
      if (answer.accepted === 0) {
        send(statusOf(decoded, answer));
        return 'done';
      }
      journal.onDurable(() => send(statusOf(decoded, answer)));
      return 'waits';
    } catch (error) {
      log.error({ err: error, device: entry.id }, 'a message could not be handled');
      arrivals.refuse(entry, [failed()], { ...facts });
      send(refused(400, failed()));
      return 'done';
    }
  };

  /** A long message of a device that has used up its rate by far is refused before it is read. */
  const tooFast = (request: IncomingMessage, now: number): Answer | null => {
    if (Number(headerOf(request, 'content-length') ?? 0) < LONG_BYTES) return null;
    const token = bearerOf(request);
    const known = token === null ? undefined : admission.known(token, now);
    const waitMs = known === undefined ? 0 : rate.waitMs(known.entry.rowId);
    return waitMs < 1000 ? null : { ...refused(429, tooOften()), retryAfterS: Math.ceil(waitMs / 1000) };
  };

  return (request, response) => {
    const facts: MessageFacts = {
      way: request.method === 'GET' ? 'HTTP GET' : 'HTTP',
      from: remoteAddress(request),
      size: 0,
      receivedAt: clockNow(),
      form: contentType(request),
      raw: null,
    };
    const send = (answer: Answer): void => {
      patience.answered(late);
      patience.answered(leave);
      write(request, response, answer);
    };
    const leave = (): void => {
      patience.answered(leave);
      response.destroy();
    };
    const late = (): void => send(request.url?.startsWith('/device/report') ? busy() : unanswered());
    /** From now on the truth is only known once the journal has written: no answer is better than a wrong one. */
    const kept = (): void => {
      patience.answered(late);
      patience.wait(leave, KEPT_MS);
    };
    const mayGoOn = async (): Promise<boolean> => {
      const token = bearerOf(request);
      return token !== null && !isRefusal(await admission.admit(token, facts));
    };
    const early = tooFast(request, facts.receivedAt);
    if (early !== null) {
      // Its body is not even read; what is left of the connection goes with it.
      response.once('finish', () => request.destroy());
      response.setHeader('connection', 'close');
      return send(early);
    }
    readBody(request, mayGoOn, (body) => {
      if (body === null) return;
      if (request.method === 'POST' && request.url === '/device/report' && Buffer.isBuffer(body)) {
        const outcome = quick(request, facts, body, send);
        if (outcome === 'waits') kept();
        if (outcome !== 'not') return;
      }
      if (!URL.canParse(request.url ?? '/', 'http://service')) return send(nothingAt('that address'));
      const url = new URL(request.url ?? '/', 'http://service');
      const waits = url.searchParams.has('wait') ? LONGEST_WAIT_S * 1000 : 0;
      patience.wait(late, PATIENCE_MS + waits);
      handle({ request, response, facts, url, body, kept }).then(send, (error: unknown) => {
        log.warn({ err: error }, 'a device could not be answered');
        late();
      });
    });
  };
}
