import { endpoints, type AnswerOf, type BodyOf, type EndpointName, type QueryOf } from './endpoints';
import { ApiError, type Problem } from './problem';

type ParamsPart = { params?: Record<string, string | number> };
type BodyPart<N extends EndpointName> =
  BodyOf<N> extends undefined ? { body?: undefined } : { body: BodyOf<N> };
type QueryPart<N extends EndpointName> =
  QueryOf<N> extends undefined ? { query?: undefined } : { query?: QueryOf<N> };
/** What one call is given: path parameters, body, query. */
export type CallInput<N extends EndpointName> = ParamsPart & BodyPart<N> & QueryPart<N>;

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
}

/** Makes a client. A call that fails throws ApiError, with status 0 where the service was not reached. */
export function createClient(options: ClientOptions): Client {
  const fetchIt = options.fetch ?? fetch;
  return {
    async call<N extends EndpointName>(
      name: N,
      input: CallInput<N> = {} as CallInput<N>,
    ): Promise<AnswerOf<N>> {
      const { method, path } = endpoints[name];
      const url =
        options.baseUrl + fillPath(path, input.params ?? {}) + queryText(input.query as object | undefined);
      let response: Response;
      try {
        response = await fetchIt(url, {
          method,
          headers: {
            ...(input.body !== undefined && { 'content-type': 'application/json' }),
            ...options.headers,
          },
          ...(input.body !== undefined && { body: JSON.stringify(input.body) }),
        });
      } catch (error) {
        throw new ApiError(notReached(options.baseUrl, error));
      }
      if (!response.ok) throw new ApiError(await readProblem(response));
      return (response.status === 204 ? undefined : await response.json()) as AnswerOf<N>;
    },
  };
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
export async function readProblem(response: Response): Promise<Problem> {
  const text = await response.text();
  try {
    const problem = JSON.parse(text) as Problem;
    if (typeof problem.detail === 'string') return problem;
  } catch {
    // Not a problem document: a proxy's page, perhaps. Its status says more than its text.
  }
  return {
    type: 'about:blank',
    title: response.statusText,
    status: response.status,
    detail: `The service answered ${response.status} ${response.statusText}.`,
  };
}

function notReached(baseUrl: string, error: unknown): Problem {
  const cause = error instanceof Error && error.cause instanceof Error ? ` (${error.cause.message})` : '';
  const where = baseUrl === '' ? 'the service' : baseUrl;
  return {
    type: 'about:blank',
    title: 'Not reached',
    status: 0,
    detail: `No answer from ${where}${cause}. Is it running, and is the address right?`,
  };
}
