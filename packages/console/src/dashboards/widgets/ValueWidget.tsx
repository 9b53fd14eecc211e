import { Box } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { isNumeric, isScalar, optionOf, type Display, type Statistics } from '@peatmoor/core';
import { api } from '../../api';
import { boundsOf, type Period } from '../../charts/period';
import { useHistory } from '../../charts/useHistory';
import { useNow } from '../../live';
import { DayLine } from '../../overview/DayLine';
import { Picture } from '../../parts/Picture';
import { fitting } from '../../parts/fitting';
import { useDisplay } from '../../parts/useDisplay';
import { dates } from '../../parts/time';
import { ink, MONO } from '../../theme';
import type { Source } from '../useCatalogue';
import type { DrawnWidget, WidgetProps } from './drawn';
import { OneValue } from './OneValue';
import { againSoon } from '../../parts/again';
import { useNotFetched } from '../../parts/Fetching';

const BACK_MS: Record<string, number> = { '1 h': 3_600_000, '24 h': 86_400_000, '7 d': 7 * 86_400_000 };
const ROUND_MS = 60_000;
/** Letters of a text that may not have room in a widget: it can be moved within. */
const LONG = 60;

function ValueBody({ widget, sources: [source], period }: WidgetProps): ReactNode {
  const { device, stream } = source;
  const display = useDisplay()(stream);
  const change = String(optionOf(widget, 'change'));
  const statistic = String(optionOf(widget, 'statistic'));
  const scalar = isScalar(stream) && device !== null;
  const colour = stream.type === 'colour';
  const usual = isNumeric(stream) ? 'clamp(1.6rem, 2.6vw, 2.3rem)' : '1.15rem';
  return (
    <OneValue source={source}>
      {({ value, at, sample, quiet }) => {
        if (stream.type === 'image' && device !== null && at !== undefined)
          return <Picture device={device.id} stream={stream} at={at} />;
        const figure = value === undefined || stream.type === 'image' ? '–' : display.value(value);
        const isLong = !isNumeric(stream) && figure.length > LONG;
        return (
          <Box sx={{ height: '100%', display: 'flex', flexDirection: 'column', pt: quiet ? 0 : 1 }}>
            <Box
              sx={{
                fontFamily: MONO,
                lineHeight: 1.15,
                overflowWrap: 'anywhere',
                color: sample ? ink.soft : ink.ink,
                ...(isLong && { minHeight: 0, overflow: 'auto' }),
              }}
              style={{ fontSize: isNumeric(stream) ? fitting(figure, usual) : usual }}
              {...(isLong && { tabIndex: 0, role: 'region', 'aria-label': stream.title })}
            >
              {colour && typeof value === 'number' && <Swatch value={value} />}
              {figure}
              <span
                style={{
                  display: 'inline-block',
                  fontSize: 'max(0.75rem, 0.5em)',
                  color: ink.soft,
                  marginLeft: '0.35em',
                }}
              >
                {display.unit}
              </span>
            </Box>
            <Box
              sx={{ color: ink.soft, fontSize: '0.85rem', display: 'flex', flexWrap: 'wrap', columnGap: 1.5 }}
            >
              {scalar && change !== 'none' && !quiet && typeof value === 'number' && (
                <Change source={source} value={value} since={change} display={display} />
              )}
              {scalar && statistic !== 'none' && (
                <OfPeriod source={source} statistic={statistic} period={period} display={display} />
              )}
            </Box>
            {scalar && optionOf(widget, 'line') === true && <SmallLine source={source} period={period} />}
          </Box>
        );
      }}
    </OneValue>
  );
}

function Swatch({ value }: { value: number }): ReactNode {
  return (
    <Box
      component="span"
      sx={{
        display: 'inline-block',
        width: '0.9em',
        height: '0.9em',
        mr: 1,
        verticalAlign: '-0.1em',
        border: `1px solid ${ink.ink}`,
      }}
      style={{ background: `#${value.toString(16).padStart(6, '0')}` }}
    />
  );
}

/** How far the value is from what it was so long ago. */
function Change({
  source: { device, stream },
  value,
  since,
  display,
}: {
  source: Source;
  value: number;
  since: string;
  display: Display;
}): ReactNode {
  const now = Math.floor(useNow(ROUND_MS) / ROUND_MS) * ROUND_MS;
  const back = BACK_MS[since] ?? 0;
  const before = useQuery({
    queryKey: ['history', device!.id, stream.key, 'change', since, now],
    queryFn: () =>
      api.call('history', {
        params: { device: device!.id },
        // The reading of about then: as long before it as it is ago, at the most.
        query: { streams: stream.key, from: now - back - back / 4, to: now - back + ROUND_MS, buckets: 50 },
      }),
    placeholderData: (last) => last,
  }).data?.lines[0]?.values.at(-1);
  if (before === undefined) return null;
  const delta = display.convert(value) - display.convert(before);
  // No more digits than its values have.
  const shown = Number(stream.decimals === null ? delta.toPrecision(3) : delta.toFixed(stream.decimals));
  const words =
    shown === 0 ? 'no change' : `${shown > 0 ? '+' : '−'}${dates().number(Math.abs(shown))} ${display.unit}`;
  return (
    <span>
      {shown === 0 ? '→' : shown > 0 ? '↗' : '↘'} {words} in {since}
    </span>
  );
}

function OfPeriod({
  source: { device, stream },
  statistic,
  period,
  display,
}: {
  source: Source;
  statistic: string;
  period: Period;
  display: Display;
}): ReactNode {
  const now = Math.ceil(useNow(ROUND_MS) / ROUND_MS) * ROUND_MS;
  const { from, to } = boundsOf(period, now);
  const asked = useQuery({
    queryKey: ['statistics', device!.id, stream.key, from, to],
    queryFn: (): Promise<Statistics> =>
      api.call('statistics', { params: { device: device!.id }, query: { stream: stream.key, from, to } }),
    placeholderData: (last: Statistics | undefined) => last,
    refetchInterval: againSoon(false),
  });
  useNotFetched(asked.error);
  const found = asked.data;
  if (found === undefined) return null;
  const value = { mean: found.mean, lowest: found.min, highest: found.max, sum: found.sum }[statistic];
  const write = {
    mean: display.mean,
    sum: (sum: number) => display.sum(display.total(sum, found.count)),
  }[statistic];
  return (
    <span>
      {statistic}{' '}
      {statistic === 'count' ? found.count : value == null ? '–' : (write ?? display.reading)(value)}
    </span>
  );
}

function SmallLine({ source: { device, stream }, period }: { source: Source; period: Period }): ReactNode {
  const now = useNow(ROUND_MS);
  const [line] = useHistory([{ device: device!.id, stream: stream.key }], period);
  const { from, to } = boundsOf(period, now);
  return (
    <Box sx={{ mt: 0.5 }}>
      <DayLine line={line} from={from} to={to} label={`${stream.title} over ${period.title}`} />
    </Box>
  );
}

export const value: DrawnWidget = { Body: ValueBody, phoneHeight: 130 };
