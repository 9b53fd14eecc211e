import { useRef } from 'react';
import {
  QueryCache,
  QueryClient,
  keepPreviousData,
  useMutation,
  useQuery,
  useQueryClient,
  type UseMutationResult,
  type UseQueryResult,
} from '@tanstack/react-query';
import {
  ApiError,
  calls,
  createClient,
  type AnswerOf,
  type CallInput,
  type Client,
  type EndpointName,
  type Problem,
} from '@peatmoor/contract';
import { againSoon } from './parts/again';
import { BASE } from './base';
import { isNobody, takeBegun } from './began';
import { headers, isVisitor, VISITOR } from './visitor';

/** How long a call may take before the page goes on without its answer, in ms. */
const WITHIN_MS = 30_000;

const caller = createClient({ baseUrl: BASE, withinMs: WITHIN_MS, headers });
/** Nobody is signed in, and the page was told so: that is asked once. */
let knowsNobody = isNobody;
export const api: Client = {
  call(name, input) {
    // A visitor is nobody, and need not ask who.
    if (isVisitor) return name === 'me' ? Promise.resolve(VISITOR as never) : caller.call(name, input);
    if (knowsNobody && name === 'me') {
      knowsNobody = false;
      return Promise.reject(new ApiError(NOBODY));
    }
    const begun = takeBegun(name, input);
    return begun === undefined ? caller.call(name, input) : Promise.resolve(begun as never);
  },
};
const NOBODY: Problem = { type: '/problems/not-signed-in', title: 'Not signed in', status: 401, detail: '' };

const isSignedOut = (error: unknown): boolean => error instanceof ApiError && error.problem.status === 401;

export const queryClient = new QueryClient({
  // A session that ended elsewhere: whoever asks who is signed in hears of it.
  queryCache: new QueryCache({
    onError: (error, query) => {
      if (isSignedOut(error) && query.queryKey[0] !== 'me')
        void queryClient.invalidateQueries({ queryKey: ['me'] });
    },
  }),
  defaultOptions: {
    // Nothing is ever sent later than it was asked for: without a network a change fails at once.
    mutations: { networkMode: 'always', retry: false },
    queries: {
      networkMode: 'always',
      staleTime: 60_000,
      retry: (count, error) =>
        count < 3 && error instanceof ApiError && (error.problem.status === 0 || error.problem.status >= 500),
      refetchOnWindowFocus: false,
    },
  },
});

/** Key under which an answer is kept: the call's name, then what it was asked with. */
export function keyOf<N extends EndpointName>(name: N, input?: CallInput<N>): unknown[] {
  return input === undefined ? [name] : [name, input];
}

/** Reads from the service and keeps the answer; the live channel says when to read again. */
export function useRead<N extends EndpointName>(
  name: N,
  input?: CallInput<N>,
  enabled = true,
  /** Reads again so often, in ms, where no live message tells of a change. */
  everyMs?: number,
  /** Shows what was known before a question was changed, until it is answered. */
  kept = false,
): UseQueryResult<AnswerOf<N>, ApiError> {
  return useQuery({
    queryKey: keyOf(name, input),
    queryFn: () => api.call(name, input),
    enabled,
    refetchInterval: againSoon(everyMs ?? false),
    ...(kept && { placeholderData: keepPreviousData as never }),
  }) as UseQueryResult<AnswerOf<N>, ApiError>;
}

/**
 * Changes something on the service, then reads anew whatever the named calls had answered. While something is being
 * made a second click makes no second one, and each such call has a key of its own, so that it is done once.
 */
export function useChange<N extends EndpointName>(
  name: N,
  stale: EndpointName[] = [],
): UseMutationResult<AnswerOf<N>, ApiError, CallInput<N>> {
  const client = useQueryClient();
  const underWay = useRef(false);
  const change = useMutation<AnswerOf<N>, ApiError, CallInput<N>>({
    mutationFn: (input) => api.call(name, isOnce(name) ? { once: newKey(), ...input } : input),
    onSuccess: () => Promise.all(stale.map((one) => client.invalidateQueries({ queryKey: [one] }))),
    onError: (error) => {
      // A password that is not right says nothing of who is signed in.
      if (isSignedOut(error) && calls[name][2] !== 'open')
        void client.invalidateQueries({ queryKey: ['me'] });
    },
    onSettled: () => {
      underWay.current = false;
    },
  });
  const mutate: typeof change.mutate = (...call) => {
    if (isOnce(name) && underWay.current) return;
    underWay.current = true;
    change.mutate(...call);
  };
  return { ...change, mutate };
}

/** Calls that make something; who signs in or up has nobody yet whose key it would be. */
function isOnce(name: EndpointName): boolean {
  const [method, , access] = calls[name];
  return method === 'POST' && access !== 'open';
}

/** A key of a call, made anew for each. */
export function newKey(): string {
  const random = crypto.getRandomValues(new Uint8Array(16));
  return Array.from(random, (byte) => byte.toString(16).padStart(2, '0')).join('');
}
