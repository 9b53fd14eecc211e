import { keepPreviousData, useQueries } from '@tanstack/react-query';
import type { History, HistoryLine } from '@peatmoor/contract';
import type { WidgetSource } from '@peatmoor/core';
import { api } from '../api';
import { boundsOf, type Period } from './period';
import { serviceNow } from '../live/clock';
import { againSoon } from '../parts/again';
import { useNotFetched } from '../parts/Fetching';

/** Widest periods are read as buckets; the shortest as the readings themselves. */
const BUCKETS = 500;
const RAW_UP_TO_MS = 300_000;
/** Of a period that stands still as much again is read on both sides, so that there is something when it is moved. */
const MARGIN = 0.5;

/**
 * The history of several sources over a period, read anew now and then while it goes on; live points fill its end.
 * `before` takes the period before it instead. What is given is the same array for as long as it holds the same.
 */
export function useHistory(
  sources: (WidgetSource & { device: string })[],
  period: Period,
  before = false,
): (HistoryLine | undefined)[] {
  const devices = [...new Set(sources.map(({ device }) => device))];
  const { until, ms } = period;
  const { lines, error } = useQueries({
    queries: devices.map((device) => {
      const streams = [
        ...new Set(sources.filter((one) => one.device === device).map(({ stream }) => stream)),
      ].join(',');
      return {
        queryKey: ['history', device, streams, period.key, before],
        queryFn: (): Promise<History> => {
          const now = boundsOf(period, serviceNow() + 1000);
          const shift = before ? ms : 0;
          const margin = until === null ? 0 : ms * MARGIN;
          const [from, to] = [now.from - shift - margin, now.to - shift + margin];
          const buckets = ms <= RAW_UP_TO_MS ? 0 : until === null ? BUCKETS : BUCKETS * 2;
          return api.call('history', { params: { device }, query: { streams, from, to, buckets } });
        },
        staleTime: 0,
        refetchInterval: againSoon(
          until !== null && until < serviceNow() ? false : Math.min(300_000, Math.max(20_000, ms / 200)),
        ),
        placeholderData: keepPreviousData,
      };
    }),
    combine: (answers) => ({
      lines: sources.map(({ device, stream }) =>
        answers[devices.indexOf(device)]?.data?.lines.find(({ key }) => key === stream),
      ),
      error: answers.find((one) => one.error !== null)?.error ?? null,
    }),
  });
  useNotFetched(error);
  return lines;
}
