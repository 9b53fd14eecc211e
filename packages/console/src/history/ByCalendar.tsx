import { Box, Table, TableBody, TableCell, TableHead, TableRow } from '@mui/material';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import type { CalendarStep } from '@peatmoor/core';
import { api } from '../api';
import { boundsOf, type Period } from '../charts/period';
import type { Source } from '../dashboards/useCatalogue';
import { useNow } from '../live';
import { Notice } from '../parts/Notice';
import { dates, showClock } from '../parts/time';
import { useDisplay } from '../parts/useDisplay';
import { MONO } from '../theme';

/** Rows of a table by the calendar at the most; of more, the newest. */
const MOST_ROWS = 62;

/** What a datastream was in each step of the calendar, worked out by the service, as a table. */
export function ByCalendar({
  source,
  step,
  period,
}: {
  source: Source;
  step: CalendarStep;
  period: Period;
}): ReactNode {
  const now = useNow(60_000);
  const { from, to } = boundsOf(period, Math.ceil(now / 60_000) * 60_000);
  const { reading, mean, sum, total } = useDisplay()(source.stream);
  const device = source.device!;
  const answer = useQuery({
    queryKey: ['calendar', device.id, source.stream.key, step, from, to],
    queryFn: () =>
      api.call('calendar', {
        params: { device: device.id },
        query: {
          stream: source.stream.key,
          from,
          to,
          step,
          zone: dates().zone,
        },
      }),
    placeholderData: keepPreviousData,
  });
  const buckets = (answer.data?.buckets ?? []).slice(-MOST_ROWS).reverse();
  const show = (value: number | null): string => (value === null ? '–' : reading(value));
  return (
    <Box
      sx={{ overflowX: 'auto', mt: 1 }}
      role="region"
      aria-label={`${source.stream.title} of ${device.name} by the calendar`}
      tabIndex={0}
    >
      <Notice error={answer.error} />
      <Table size="small" sx={{ width: 'auto', '& td': { fontFamily: MONO } }}>
        <caption style={{ captionSide: 'top', textAlign: 'left' }}>
          {device.name}: {source.stream.title}, each {step}, the newest first
        </caption>
        <TableHead>
          <TableRow>
            {['from', 'lowest', 'mean', 'highest', 'last', 'sum', 'readings'].map((name) => (
              <TableCell key={name} align={name === 'from' ? 'left' : 'right'}>
                {name}
              </TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {buckets.map((bucket) => (
            <TableRow key={bucket.from}>
              <TableCell>{showClock(bucket.from, step === 'hour' ? now : 0)}</TableCell>
              {[
                show(bucket.min),
                bucket.mean === null ? '–' : mean(bucket.mean),
                show(bucket.max),
                show(bucket.last),
                bucket.sum === null ? '–' : sum(total(bucket.sum, bucket.count)),
                String(bucket.count),
              ].map((text, i) => (
                <TableCell key={i} align="right">
                  {text}
                </TableCell>
              ))}
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Box>
  );
}
