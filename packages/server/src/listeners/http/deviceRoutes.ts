import type { IncomingMessage, ServerResponse } from 'node:http';
import {
  decodeByType,
  decodeJsonReport,
  decodePairs,
  isRefusal,
  KEEP_NAME,
  refusal,
  VERSION_PATTERN,
  type DecodedReport,
  type Refusal,
} from '@peatmoor/core';
import { now as clockNow } from '../../clock';
import type { Wanted } from '../../commands/commands';
import type { MessageFacts } from '../../ingest/message';
import type { Verbs } from '../../ingest/verbs';
import type { WorkRate } from '../../ingest/workRate';
import type { DeviceEntry } from '../../registry';
import { refused, statusOf, unanswered, type Answer } from './answer';
import { headerOf } from './headers';

/** Seconds that a question for wanted values is held at the most. */
export const LONGEST_WAIT_S = 60;
/** Messages that a question for a new program counts as, beside itself. */
const ASKING_COSTS = 9;
/** One call of a device, while it is answered. */
export interface Call {
  request: IncomingMessage;
  response: ServerResponse;
  facts: MessageFacts;
  url: URL;
  body: Buffer | Refusal;
  /** Called when something of the message is in the queue of the journal: it is no longer true that nothing was kept. */
  kept(): void;
}

export type Action = (call: Call, entry: DeviceEntry) => Promise<Answer>;

/** What a device may call, and what is done. */
export function routesOf({
  verbs,
  rate,
}: {
  verbs: Verbs;
  rate: WorkRate;
}): { pattern: RegExp; action: Action }[] {
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
  const { list: known, n } = await verbs.wanted(entry, {
    waitMs: waitS * 1000,
    n: asked === null ? null : Number(asked),
    gone: gone.signal,
  });
  if (gone.signal.aborted) return unanswered();
  // The number, and what it keeps by itself, only for whoever asks with one: boards of before take every name for a control.
  const list = await verbs.take(asked === null ? known.filter(({ name }) => name !== KEEP_NAME) : known);
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
    body: {
      ...Object.fromEntries(
        list.map(({ name, value }: Wanted) => [name, name === KEEP_NAME ? value : plainJson(value)]),
      ),
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

export function nothingAt(route: string): Answer {
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

export function readJson(body: Buffer): unknown {
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
