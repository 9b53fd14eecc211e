import type { Action } from '@peatmoor/core';
import type { AnySchema } from 'yup';

/** What has versions: each change counts it up. Datastreams belong to the version of their kind. */
export type Versioned = 'kind' | 'device' | 'dashboard' | 'rule' | 'timetable' | 'person' | 'member' | 'link';

/** One call of the API. `A` is its answer, `B` its body, `Q` its query as the caller gives them. */
export interface Endpoint<A = unknown, B = undefined, Q = undefined> {
  method: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE';
  /** Path with `:name` for each parameter. */
  path: string;
  summary: string;
  /** Who may call it: `open` for anybody, else whoever may do this in the workspace. */
  access: 'open' | Action;
  body?: AnySchema;
  query?: AnySchema;
  answer?: AnySchema;
  /**
   * A list, given a page at a time with a Link header to the next. `all`: the typed client reads on to the end where no limit
   * is asked for; `newest`: it gives the first page.
   */
  pages?: 'all' | 'newest';
  /** Of what this reads or changes a version: it gives an ETag, and a change is held to If-Match. */
  versioned?: Versioned;
  /** True for a call that only looks, whatever its method: what came of it is not kept for whoever repeats it. */
  looks?: true;
  /** Never set; carries the types. */
  types?: { answer: A; body: B; query: Q };
}

type Options = Pick<Endpoint, 'body' | 'query' | 'answer' | 'pages' | 'versioned' | 'looks'>;

/** Declares a call by its method and path. */
export function endpoint<A, B = undefined, Q = undefined>(
  line: string,
  access: Endpoint['access'],
  summary: string,
  options: Options = {},
): Endpoint<A, B, Q> {
  const [method, path] = line.split(' ') as [Endpoint['method'], string];
  return { method, path, access, summary, ...options };
}

/** A query as a caller gives it. */
export type Query<T> = Partial<T>;
