import type { IncomingMessage, ServerResponse } from 'node:http';
import {
  decodeByType,
  decodeJsonReport,
  decodePairs,
  isRefusal,
  refusal,
  VERSION_PATTERN,
  type DecodedReport,
  type Refusal,
} from '@peatmoor/core';
import type { Logger } from 'pino';
import type { Wanted } from '../../commands/commands';
import type { Admission } from '../../ingest/admission';
import type { ArrivalBook } from '../../ingest/arrivals';
import type { MessageFacts } from '../../ingest/message';
import { failed, tooOften, type Verbs } from '../../ingest/verbs';
import type { WorkRate } from '../../ingest/workRate';
import { JournalBusyError, type JournalWriter } from '../../journal/writer';
import type { DeviceEntry } from '../../registry';
import { remoteAddress } from '../address';
import { busy, createPatience, refused, statusOf, unanswered, write, type Answer } from './answer';
import { readBody } from './body';
import { bearerOf, contentType, headerOf } from './headers';
import { now as clockNow } from '../../clock';

const LONGEST_WAIT_S = 60;
/** Bytes of a message that is refused unread where its device sends far too much. */
const LONG_BYTES = 16 * 1024;
/** Messages that a question for a new program counts as, beside itself. */
const ASKING_COSTS = 9;
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

/** One call of a device, while it is answered. */
interface Call {
  request: IncomingMessage;
  response: ServerResponse;
  facts: MessageFacts;
  url: URL;
  body: Buffer | Refusal;
  /** Called when something of the message is in the queue of the journal: it is no longer true that nothing was kept. */
  kept(): void;
}

type Action = (call: Call, entry: DeviceEntry) => Promise<Answer>;

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
      if (error instanceof JournalBusyError) return busy();
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

/** What a device may call, and what is done. */
function routesOf({ verbs, rate }: Parts): { pattern: RegExp; action: Action }[] {
  const report = async (
    call: Call,
    entry: DeviceEntry,
    decoded: DecodedReport | Refusal,
  ): Promise<Answer> => {
    const forDevice = call.url.searchParams.get('for');
    return statusOf(
      decoded,
      await verbs.report.take(entry, decoded, call.facts, forDevice, { onKept: call.kept }),
    );
  };
  /** The rest of the actions are for the device itself, or a sub-device that it speaks for. */
  const forTarget =
    (action: Action): Action =>
    async (call, entry) => {
      const target = await verbs.speaksFor(entry, call.url.searchParams.get('for'));
      return isRefusal(target) ? refused(422, target) : action(call, target);
    };
  return [
    { pattern: /^POST \/device\/report$/, action: (call, entry) => report(call, entry, decodeBody(call)) },
    {
      pattern: /^GET \/device\/report$/,
      action: (call, entry) => {
        call.facts.size = Buffer.byteLength(call.url.search);
        return report(call, entry, decodePairs(call.url.searchParams));
      },
    },
    { pattern: /^GET \/device\/wanted$/, action: forTarget((call, entry) => wanted(verbs, call, entry)) },
    {
      pattern: /^POST \/device\/applied$/,
      action: forTarget(async (call, entry) => {
        const decoded = isRefusal(call.body)
          ? call.body
          : decodeJsonReport(call.body.toString('utf8'), call.facts.receivedAt);
        const facts = { ...call.facts, raw: isRefusal(call.body) ? null : call.body };
        return statusOf(decoded, await verbs.applied(entry, decoded, facts));
      }),
    },
    {
      pattern: /^POST \/device\/(raise|clear)\/[^/]{1,240}$/,
      action: forTarget(async (call, entry) => {
        if (isRefusal(call.body)) return refused(413, call.body);
        const [, , verb, key] = call.url.pathname.split('/');
        const name = decodeOnce(key!);
        if (name === null || name.length > 80)
          return refused(
            400,
            refusal('', 'unreadable', 'The key in the address cannot be read. Use letters, digits and _.'),
          );
        const facts = { ...call.facts, size: call.body.length, raw: call.body };
        return plain(await verbs.say(entry, verb as 'raise', name, call.body.toString('utf8'), facts));
      }),
    },
    {
      pattern: /^GET \/device\/firmware$/,
      action: forTarget(async ({ url }, entry) => {
        const has = url.searchParams.get('has') ?? '';
        const slots = Number(url.searchParams.get('slots') ?? 2);
        if (!VERSION_PATTERN.test(has) || !Number.isInteger(slots))
          return refused(
            422,
            refusal('has', 'wrong-type', 'Say which version runs: GET /device/firmware?has=1.0.0&slots=2.'),
          );
        // It looks up more than a reading does.
        rate.chargeMessages(entry.rowId, ASKING_COSTS);
        return { status: 200, body: await verbs.firmware.ask(entry, { has, slots }) };
      }),
    },
    {
      pattern: /^GET \/device\/firmware\/[^/]{1,40}$/,
      action: forTarget(async ({ url, request }, entry) => {
        const version = url.pathname.split('/')[3]!;
        const part = await verbs.firmware.read(entry, version, headerOf(request, 'range'));
        if (part === null)
          return refused(
            416,
            refusal('', 'wrong-topic', 'These bytes are not in it. Ask as Range: bytes=0-16383.'),
          );
        if (isRefusal(part)) return refused(404, part);
        const { bytes, start, size } = part;
        return {
          status: 206,
          body: null,
          bytes,
          range: `bytes ${start}-${start + bytes.length - 1}/${size}`,
        };
      }),
    },
    {
      pattern: /^POST \/device\/firmware$/,
      action: forTarget(async ({ body }, entry) => {
        if (isRefusal(body)) return refused(413, body);
        const said = readJson(body) as
          { version?: unknown; state?: unknown; reason?: unknown } | null | undefined;
        const { version, state, reason = '' } = said ?? {};
        if (
          typeof version !== 'string' ||
          typeof reason !== 'string' ||
          (state !== 'fetched' && state !== 'failed')
        )
          return refused(
            400,
            refusal(
              '',
              'unreadable',
              'Send {"version": "1.2.0", "state": "fetched" or "failed", "reason": "…"}.',
            ),
          );
        const wrong = await verbs.firmware.said(entry, version, state, reason);
        return plain({ accepted: wrong === null ? 1 : 0, refused: wrong === null ? [] : [wrong] });
      }),
    },
    {
      pattern: /^POST \/device\/about$/,
      action: forTarget(async (call, entry) => {
        if (isRefusal(call.body)) return refused(413, call.body);
        const facts = { ...call.facts, size: call.body.length, raw: call.body };
        return plain(await verbs.about(entry, call.body.toString('utf8'), facts));
      }),
    },
  ];
}

const plain = (body: { accepted: number; refused: Refusal[] }): Answer => ({
  status: body.accepted > 0 ? 200 : 422,
  body,
});

/** Wanted values, at once or when there is something new; sent only once the answer has left whole. */
async function wanted(verbs: Verbs, { url, response }: Call, entry: DeviceEntry): Promise<Answer> {
  const waitS = Math.min(LONGEST_WAIT_S, Number(url.searchParams.get('wait') ?? 0));
  if (Number.isNaN(waitS) || waitS < 0)
    return refused(400, refusal('wait', 'wrong-type', 'wait is a number of seconds, 60 at most.'));
  const asked = url.searchParams.get('n');
  if (asked !== null && !/^\d{1,15}$/.test(asked))
    return refused(
      400,
      refusal('n', 'wrong-type', 'n is the number that came with the wanted values before.'),
    );
  const gone = new AbortController();
  response.once('close', () => gone.abort());
  const { list: all, n } = await verbs.wanted(entry, {
    waitMs: waitS * 1000,
    n: asked === null ? null : Number(asked),
    gone: gone.signal,
  });
  if (gone.signal.aborted) return unanswered();
  const list = await verbs.take(all);
  const presses = list.filter(({ until }) => until !== null);
  // A board that looks now and then names what it has already: wanted again, that is applied without another call.
  const has = list.filter(
    ({ name, value, commandId }) => commandId !== null && sameValue(url.searchParams.get(name), value),
  );
  response.once('finish', () => {
    verbs
      .told(entry, list)
      .then(async () => {
        for (const { name, value } of has)
          await verbs.appliedOne(entry, name, value, {
            way: 'HTTP GET',
            from: '',
            size: 0,
            receivedAt: clockNow(),
            form: '',
            raw: null,
          });
      })
      .catch(() => undefined);
  });
  return {
    status: 200,
    // The number only for whoever asks with one: boards of before take every name for a control.
    body: {
      ...Object.fromEntries(list.map(({ name, value }: Wanted) => [name, plainJson(value)])),
      ...(asked !== null && { n }),
      // No control begins with an underscore.
      ...(asked !== null &&
        presses.length > 0 && {
          _until: Object.fromEntries(presses.map(({ name, until }) => [name, until])),
        }),
    },
  };
}

/** Methods of the addresses that devices use. */
const METHODS: readonly (readonly [RegExp, string])[] = [
  [/^\/device\/report$/, 'GET, POST'],
  [/^\/device\/(wanted|time|firmware\/[^/]+)$/, 'GET'],
  [/^\/device\/firmware$/, 'GET, POST'],
  [/^\/device\/(applied|about|claim|raise\/[^/]+|clear\/[^/]+)$/, 'POST'],
];

function nothingAt(route: string): Answer {
  const [method, path = ''] = route.split(' ');
  const allow = METHODS.find(([pattern]) => pattern.test(path))?.[1];
  if (allow !== undefined)
    return {
      ...refused(
        405,
        refusal('', 'wrong-topic', `There is no ${method} ${path.slice(0, 100)}; there is ${allow}.`),
      ),
      allow,
    };
  return refused(
    404,
    refusal(
      '',
      'wrong-topic',
      `There is nothing at ${route.slice(0, 100)}. Devices use POST /device/report, GET /device/wanted, POST /device/applied, /device/raise/<key>, /device/clear/<key>, /device/about, /device/claim and /device/firmware, and GET /device/firmware and /device/time.`,
    ),
  );
}

function decodeBody({ body, url, facts }: Call): DecodedReport | Refusal {
  if (isRefusal(body)) return body;
  const name = url.searchParams.get('name');
  facts.size = body.length;
  facts.raw = body;
  facts.form = name === null ? facts.form : `${facts.form}?name=${name.slice(0, 40)}`;
  return decodeByType(facts.form.split('?')[0]!, body, facts.receivedAt, name);
}

function readJson(body: Buffer): unknown {
  try {
    return JSON.parse(body.toString('utf8'));
  } catch {
    return undefined;
  }
}

/** A part of an address as it was meant, or null where it is no UTF-8. */
function decodeOnce(text: string): string | null {
  try {
    return decodeURIComponent(text);
  } catch {
    return null;
  }
}

function sameValue(has: string | null, value: string): boolean {
  return has !== null && has !== '' && (has === value || Number(has) === Number(value));
}

/** A wanted value in JSON: numbers as numbers, the rest as text. */
function plainJson(value: string): number | string {
  return /^-?\d+(\.\d+)?(e[+-]?\d+)?$/i.test(value) ? Number(value) : value;
}
