import { useQueries } from '@tanstack/react-query';
import { api } from '../api';
import type { Source } from '../dashboards/useCatalogue';
import { boundsOf, type Period } from './period';
import { serviceNow } from '../live/clock';
import { againSoon } from '../parts/again';
import { useNotFetched } from '../parts/Fetching';

/** Readings of one datastream, in columns; times in epoch ms. */
interface Rows {
  times: readonly number[];
  values: readonly (number | null)[];
}

/** Single readings are given of so long a period at the most, in ms. */
const MOST_MS = 31 * 86_400_000;
/** How much further back is looked each time that there were too few. */
const FURTHER = 12;
/** What came since is added by what is heard live; how often it is asked again all the same, in ms. */
const AGAIN_MS = 60_000;

/** The newest so many readings of each source within a period, as they were measured: no means, however long it is. */
export function useNewestRows(
  sources: readonly Source[],
  period: Period,
  rows: number,
): (Rows | undefined)[] {
  const real = sources.flatMap(({ device, stream, kind }) =>
    device === null ? [] : [{ device: device.id, stream: stream.key, everyMs: kind.intervalS * 1000 }],
  );
  const answers = useQueries({
    queries: real.map(({ device, stream, everyMs }) => ({
      queryKey: ['history', device, 'rows', stream, rows, period.key],
      queryFn: async (): Promise<Rows> => {
        const { from, to } = boundsOf(period, serviceNow() + 1000);
        const most = Math.min(to - from, MOST_MS);
        for (
          let ms = Math.min(most, Math.max(60_000, 2 * rows * everyMs));
          ;
          ms = Math.min(most, ms * FURTHER)
        ) {
          const query = { streams: stream, from: to - ms, to, buckets: 0 };
          const [line] = (await api.call('history', { params: { device }, query })).lines;
          const { times = [], values = [] } = line ?? {};
          if (times.length >= rows || ms >= most)
            return { times: times.slice(-rows), values: values.slice(-rows) };
        }
      },
      refetchInterval: againSoon(period.until === null ? AGAIN_MS : false),
      placeholderData: (before: Rows | undefined) => before,
    })),
  });
  useNotFetched(answers.find(({ error }) => error !== null)?.error ?? null);
  return answers.map(({ data }) => data);
}
