import { Box } from '@mui/material';
import { useQueries } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import type { Statistics } from '@peatmoor/core';
import { api } from '../api';
import type { Source } from '../dashboards/useCatalogue';
import { useDisplay } from '../parts/useDisplay';
import { dates } from '../parts/time';
import { ink, MONO } from '../theme';
import { againSoon } from '../parts/again';
import { useNotFetched } from '../parts/Fetching';

/** How often statistics of a period that goes on are worked out anew, in ms. */
const AGAIN_MS = 30_000;

/** Statistics of what a chart shows, worked out by the service from every reading. */
export function ChartStatistics({
  sources,
  from,
  to,
  going,
}: {
  sources: readonly Source[];
  from: number;
  to: number;
  /** True while the period goes on with the time. */
  going: boolean;
}): ReactNode {
  const displayOf = useDisplay();
  const real = sources.filter(({ device }) => device !== null);
  const several = new Set(real.map(({ device }) => device!.id)).size > 1;
  const [start, end] = going
    ? [Math.floor(from / AGAIN_MS) * AGAIN_MS, Math.ceil(to / AGAIN_MS) * AGAIN_MS]
    : [from, to];
  const answers = useQueries({
    queries: real.map(({ device, stream }) => ({
      queryKey: ['statistics', device!.id, stream.key, start, end],
      queryFn: (): Promise<Statistics> =>
        api.call('statistics', {
          params: { device: device!.id },
          query: { stream: stream.key, from: start, to: end },
        }),
      placeholderData: (before: Statistics | undefined) => before,
      refetchInterval: againSoon(false),
    })),
  });
  useNotFetched(answers.find(({ error }) => error !== null)?.error ?? null);
  return (
    <Box
      // Of many lines it is as high as there is room beside the chart, and can be scrolled.
      sx={{ overflow: 'auto', flex: '0 1 auto', minHeight: 0 }}
      role="region"
      aria-label={`Statistics of ${real.map(({ device, stream }) => `${stream.title}, ${device!.name}`).join('; ')}`}
      tabIndex={0}
    >
      <Box
        component="table"
        sx={{
          borderCollapse: 'collapse',
          fontSize: '0.85rem',
          '& th, & td': { pr: { xs: 1, sm: 2 }, textAlign: 'right', '&:last-child': { pr: 0 } },
          '& tbody th': { minWidth: '5em', overflowWrap: 'anywhere' },
        }}
      >
        <thead>
          <tr style={{ color: ink.soft }}>
            <th scope="col" style={{ fontWeight: 400, textAlign: 'left' }}>
              of the period
            </th>
            {['lowest', 'mean', 'highest', 'spread', 'readings'].map((name) => (
              <th key={name} scope="col" style={{ fontWeight: 400 }}>
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {real.map(({ device, stream }, i) => {
            const found = answers[i]?.data;
            const { reading, mean, distance, unit } = displayOf(stream);
            const show = (value: number | null | undefined): string => (value == null ? '–' : reading(value));
            const spread =
              found?.deviation == null
                ? '–'
                : `${dates().number(Number(distance(found.deviation).toPrecision(3)))} ${unit}`;
            return (
              <tr key={`${device!.id}/${stream.key}`}>
                <th scope="row" style={{ fontWeight: 400, textAlign: 'left', color: ink.soft }}>
                  {several ? `${device!.name} ${stream.title}` : stream.title}
                </th>
                {[
                  show(found?.min),
                  found?.mean == null ? '–' : mean(found.mean),
                  show(found?.max),
                  spread,
                  String(found?.count ?? '–'),
                ].map((text, n) => (
                  <td key={n} style={{ fontFamily: MONO, whiteSpace: 'nowrap' }}>
                    {text}
                  </td>
                ))}
              </tr>
            );
          })}
        </tbody>
      </Box>
    </Box>
  );
}
