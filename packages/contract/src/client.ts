import { calls } from './calls';
import type { AnswerOf, BodyOf, EndpointName, QueryOf } from './endpoints';
import { MOST_LISTED } from './known';
import { ApiError, type Problem } from './problem';

type ParamsPart = { params?: Record<string, string | number> };
type BodyPart<N extends EndpointName> =
  BodyOf<N> extends undefined ? { body?: undefined } : { body: BodyOf<N> };
type QueryPart<N extends EndpointName> =
  QueryOf<N> extends undefined ? { query?: undefined } : { query?: QueryOf<N> };
/** What one call is given: path parameters, body, query. */
export type CallInput<N extends EndpointName> = ParamsPart & BodyPart<N> & QueryPart<N> & Manners;

interface Manners {
  /** The version that a change is made to: refused as changed-meanwhile where it is no longer the newest. */
  ifVersion?: number;
  /** Idempotency-Key of a call that may have to be sent again: 16 letters at least, and done once however often it comes. */
  once?: string;
  /** How long to wait for an answer, in ms; without it as long as the client waits for all. */
  withinMs?: number;
}

/** The typed client that CLI, console and tests share. */
export interface Client {
  call<N extends EndpointName>(name: N, input?: CallInput<N>): Promise<AnswerOf<N>>;
}

export interface ClientOptions {
  /** Base address without a slash at the end; empty for the page's own origin. */
  baseUrl: string;
  /** Headers of every call, such as an access key. */
  headers?: Record<string, string>;
  fetch?: typeof fetch;
  /** How long each call waits for an answer, in ms; without it for ever. */
  withinMs?: number;
}

/** How long a command of this client is meant, and the time of the service is known, in ms. */
const STEER_MS = 10_000;
const TIME_KNOWN_MS = 600_000;

/** Makes a client. A call that fails throws ApiError, with status 0 where the service was not reached. */
export function createClient(options: ClientOptions): Client {
  const fetchIt = options.fetch ?? fetch;
  const send = async (
    method: string,
    url: string,
    { body, ifVersion, once, withinMs = options.withinMs }: Manners & { body?: unknown },
  ): Promise<Response> => {
    let response: Response;
    try {
      response = await fetchIt(url, {
        method,
        headers: {
          ...(body !== undefined && { 'content-type': 'application/json' }),
          ...(ifVersion !== undefined && { 'if-match': `"${ifVersion}"` }),
          ...(once !== undefined && { 'idempotency-key': once }),
          ...options.headers,
        },
        ...(body !== undefined && { body: JSON.stringify(body) }),
        ...(withinMs !== undefined && { signal: AbortSignal.timeout(withinMs) }),
      });
    } catch (error) {
      throw new ApiError(notReached(options.baseUrl, error));
    }
    if (!response.ok) throw new ApiError(await readProblem(response, options.baseUrl));
    return response;
  };
  const read = async (response: Response): Promise<unknown> => {
    try {
      return await response.json();
    } catch (error) {
      // Cut off on the way, or no JSON at all.
      throw new ApiError(
        error instanceof SyntaxError && !/json/.test(response.headers.get('content-type') ?? '')
          ? notOurs(options.baseUrl)
          : notReached(options.baseUrl, error),
      );
    }
  };
  let ahead: { ms: number; since: number } | null = null;
  /** The time at the service, epoch ms; asked for now and then, so that a wrong clock here makes no command too late. */
  const serviceTime = async (): Promise<number> => {
    if (ahead === null || Date.now() - ahead.since > TIME_KNOWN_MS || Date.now() < ahead.since) {
      const began = Date.now();
      const { now } = (await read(await send('GET', `${options.baseUrl}/device/time`, {}))) as {
        now: number;
      };
      ahead = { ms: now - (began + Date.now()) / 2, since: Date.now() };
    }
    return Date.now() + ahead.ms;
  };
  /** What steers says when it is wanted and until when it is meant: what waited on the way is refused, and moves nothing. */
  const inTime = async (name: EndpointName, body: unknown): Promise<unknown> => {
    if (name !== 'createCommand' || typeof body !== 'object' || body === null || 'until' in body) return body;
    const now = await serviceTime();
    return { ...body, at: Math.floor(now), until: Math.ceil(now + STEER_MS) };
  };
  return {
    async call<N extends EndpointName>(
      name: N,
      input: CallInput<N> = {} as CallInput<N>,
    ): Promise<AnswerOf<N>> {
      const [method, path, , pages] = calls[name];
      const query = (input.query ?? {}) as Record<string, unknown>;
      const whole = pages === 'all' && query.limit === undefined;
      const url =
        options.baseUrl +
        fillPath(path, input.params ?? {}) +
        queryText(whole ? { ...query, limit: MOST_LISTED } : query);
      const given = input as Manners & { body?: unknown };
      let response = await send(method, url, { ...given, body: await inTime(name, given.body) });
      if (response.status === 204) return undefined as AnswerOf<N>;
      const answer = (await read(response)) as AnswerOf<N>;
      for (let next = nextPage(response); whole && next !== null; next = nextPage(response)) {
        response = await send(method, options.baseUrl + next, {});
        (answer as unknown[]).push(...((await read(response)) as unknown[]));
      }
      return answer;
    },
  };
}

/** Address of the page that follows, from the Link header (RFC 8288), or null at the end. */
function nextPage(response: Response): string | null {
  return /<([^>]*)>;\s*rel="next"/.exec(response.headers.get('link') ?? '')?.[1] ?? null;
}

function fillPath(path: string, params: Record<string, string | number>): string {
  return path.replace(/:(\w+)/g, (_, name: string) => {
    const value = params[name];
    if (value === undefined) throw new TypeError(`the path ${path} needs ${name}`);
    return encodeURIComponent(value);
  });
}

function queryText(query: object | undefined): string {
  const given = Object.entries(query ?? {}).filter(([, value]) => value !== undefined && value !== null);
  return given.length === 0
    ? ''
    : `?${new URLSearchParams(given.map(([name, value]) => [name, String(value)]))}`;
}

/** The problem document of an answer that is no success; made up from its status where it has none. */
export async function readProblem(response: Response, baseUrl = ''): Promise<Problem> {
  const text = await response.text();
  try {
    const problem = JSON.parse(text) as Problem;
    if (typeof problem.detail === 'string') return problem;
  } catch {
    // Not a problem document: a proxy's page, perhaps. Its status says more than its text.
  }
  // Of the calls there are, none is not there: it is a page of something else.
  if (
    (response.status === 404 || response.status === 405) &&
    /html/.test(response.headers.get('content-type') ?? '')
  )
    return notOurs(baseUrl);
  return {
    type: 'about:blank',
    title: response.statusText,
    status: response.status,
    detail: `The service answered ${response.status} ${response.statusText}.`,
  };
}

/** False for a page of the service itself, which may stand under a path. */
const isWhole = (baseUrl: string): boolean => /^https?:/.test(baseUrl);

function notOurs(baseUrl: string): Problem {
  return {
    type: 'about:blank',
    title: 'Something else answered',
    status: 0,
    detail: `What answers at ${isWhole(baseUrl) ? baseUrl : 'this address'} is not Peatmoor but some other web page. Check the address and its port.`,
  };
}

/** What Node says of a certificate whose authority it does not know. */
const UNKNOWN_AUTHORITY: ReadonlySet<unknown> = new Set([
  'SELF_SIGNED_CERT_IN_CHAIN',
  'DEPTH_ZERO_SELF_SIGNED_CERT',
  'UNABLE_TO_VERIFY_LEAF_SIGNATURE',
  'UNABLE_TO_GET_ISSUER_CERT_LOCALLY',
]);
const codeOf = (cause: unknown): unknown =>
  typeof cause === 'object' && cause !== null && 'code' in cause ? cause.code : undefined;

function notReached(baseUrl: string, error: unknown): Problem {
  const cause = error instanceof Error && error.cause instanceof Error ? ` (${error.cause.message})` : '';
  const where = isWhole(baseUrl) ? baseUrl : 'the service';
  if (error instanceof Error && error.name === 'TimeoutError')
    return {
      type: 'about:blank',
      title: 'No answer',
      status: 0,
      detail: `No answer came from ${where} in time. Whether it was done is not known; look before you try again.`,
    };
  if (/wrong version number|packet length too long|ssl3_get_record/i.test(cause))
    return {
      type: 'about:blank',
      title: 'No TLS there',
      status: 0,
      detail: `At ${where} there is no TLS. Write http:// instead of https://.`,
    };
  if (UNKNOWN_AUTHORITY.has(codeOf((error as { cause?: unknown }).cause)))
    return {
      type: 'about:blank',
      title: 'Not trusted',
      status: 0,
      detail: `The certificate of ${where} is of an authority that this computer does not know. If it is the service’s own: save ${where.replace(/^https:/, 'http:')}/authority.crt, compare its fingerprint with the one under Settings, Phones, and set NODE_EXTRA_CA_CERTS to that file.`,
    };
  return {
    type: 'about:blank',
    title: 'Not reached',
    status: 0,
    detail: `No answer from ${where}${cause}. Is it running, and is the address right?`,
  };
}
