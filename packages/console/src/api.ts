import {
  QueryClient,
  useMutation,
  useQuery,
  useQueryClient,
  type UseMutationResult,
  type UseQueryResult,
} from '@tanstack/react-query';
import { ApiError, createClient, type AnswerOf, type CallInput, type EndpointName } from '@peatmoor/contract';

export const api = createClient({ baseUrl: '' });

export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
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
): UseQueryResult<AnswerOf<N>, ApiError> {
  return useQuery({
    queryKey: keyOf(name, input),
    queryFn: () => api.call(name, input),
    enabled,
  }) as UseQueryResult<AnswerOf<N>, ApiError>;
}

/** Changes something on the service, then reads anew whatever the named calls had answered. */
export function useChange<N extends EndpointName>(
  name: N,
  stale: EndpointName[] = [],
): UseMutationResult<AnswerOf<N>, ApiError, CallInput<N>> {
  const client = useQueryClient();
  return useMutation<AnswerOf<N>, ApiError, CallInput<N>>({
    mutationFn: (input) => api.call(name, input),
    onSuccess: () => Promise.all(stale.map((one) => client.invalidateQueries({ queryKey: [one] }))),
  });
}
