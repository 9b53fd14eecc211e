import { keepPreviousData, useQueries } from '@tanstack/react-query';
import type { History, HistoryLine } from '@peatmoor/contract';
import type { WidgetSource } from '@peatmoor/core';
import { api } from '../api';
import type { Period } from './period';

/** Widest periods are read as buckets; the shortest as the readings themselves. */
const BUCKETS = 500;

/** The history of several sources over the last `period`, read anew now and then; live points fill the end. */
export function useHistory(
  sources: (WidgetSource & { device: string })[],
  period: Period,
): (HistoryLine | undefined)[] {
  const devices = [...new Set(sources.map(({ device }) => device))];
  const answers = useQueries({
    queries: devices.map((device) => {
      const streams = [
        ...new Set(sources.filter((one) => one.device === device).map(({ stream }) => stream)),
      ].join(',');
      return {
        queryKey: ['history', device, streams, period.key],
        queryFn: (): Promise<History> => {
          const to = Date.now() + 1000;
          return api.call('history', {
            params: { device },
            query: { streams, from: to - period.ms, to, buckets: period.key === '5min' ? 0 : BUCKETS },
          });
        },
        staleTime: 0,
        refetchInterval: Math.min(300_000, Math.max(20_000, period.ms / 200)),
        placeholderData: keepPreviousData,
      };
    }),
  });
  return sources.map(({ device, stream }) =>
    answers[devices.indexOf(device)]?.data?.lines.find(({ key }) => key === stream),
  );
}
