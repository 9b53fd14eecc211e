import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { Box, Button, MenuItem, TextField, ToggleButton, ToggleButtonGroup, Typography } from '@mui/material';
import { useEffect, useState, type ReactNode } from 'react';
import { showDuration } from '@peatmoor/core';
import type { Device } from '@peatmoor/contract';
import { api } from '../api';
import { Notice } from '../parts/Notice';
import { showClock } from '../parts/time';
import { ink } from '../theme';
import type { Catalogue, ReadyRule } from './fields';
import { LimitChart } from './LimitChart';
import { serviceNow } from '../live/clock';

const DAY_MS = 86_400_000;
const PERIODS = [1, 7, 30] as const;
/** A rule is tried once nothing was changed for so long, in ms. */
const SETTLED_MS = 150;
const BUCKETS = 400;
const MOST_SHOWN = 6;

/** Runs the rule over the past while it is written: how often it would have opened, and a limit that can be dragged. */
export function Trial({
  ready,
  watched,
  catalogue,
  onLimit,
}: {
  ready: ReadyRule;
  watched: readonly Device[];
  catalogue: Catalogue;
  /** Told a new limit, in the unit of the datastream. */
  onLimit: (limit: number) => void;
}): ReactNode {
  const { body, stream } = ready;
  const [days, setDays] = useState<number>(7);
  const [chosen, setChosen] = useState('');
  const device = watched.find(({ id }) => id === chosen) ?? watched[0];
  // Rounded, so that writing goes on over the same period.
  const to = Math.ceil(serviceNow() / 300_000) * 300_000;
  const from = to - days * DAY_MS;
  // What a trial depends on: neither names nor people.
  const asked = useSettled(
    JSON.stringify({
      ...body,
      title: '',
      message: '',
      people: [],
      roles: [],
      emails: [],
      webhooks: [],
      actions: [],
      escalateMs: null,
      escalateTo: null,
    }),
  );
  const trial = useQuery({
    queryKey: ['tryRule', asked, days, to],
    queryFn: () => api.call('tryRule', { body: { rule: JSON.parse(asked) as typeof body, from, to } }),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const line = useQuery({
    queryKey: ['history', device?.id ?? '', stream?.key ?? '', 'trial', days, to],
    queryFn: async () =>
      (
        await api.call('history', {
          params: { device: device!.id },
          query: { streams: stream!.key, from, to, buckets: BUCKETS },
        })
      ).lines[0]!,
    enabled: device !== undefined && stream !== undefined && isDrawn(stream.type),
  });
  const result = trial.data;
  const display = stream && catalogue.displayOf(stream);
  const show = (value: number | null): string =>
    value === null ? '' : (display?.reading(value) ?? String(value));
  return (
    <Box data-trial={result?.count ?? ''} sx={{ borderTop: `1px solid ${ink.line}`, pt: 2 }}>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'center', mb: 1 }}>
        <Typography component="div" aria-live="polite" sx={{ flex: '1 1 300px', fontSize: '1.1rem' }}>
          {result === undefined
            ? trial.error === null
              ? 'Looking back …'
              : ''
            : result.count === 0
              ? `In the last ${days} d it would not have opened.`
              : `In the last ${days} d it would have opened ${result.count === 1 ? 'once' : `${result.count} times`}, ${showDuration(result.openMs)} in all.`}
          {result?.suggested != null && body.limit !== result.suggested && (
            <Button size="small" variant="text" onClick={() => onLimit(result.suggested!)}>
              Try {show(result.suggested)}
            </Button>
          )}
        </Typography>
        {watched.length > 1 && (
          <TextField
            select
            size="small"
            label="Shown"
            fullWidth={false}
            sx={{ width: 200 }}
            value={device?.id ?? ''}
            onChange={({ target }) => setChosen(target.value)}
          >
            {watched.map(({ id, name }) => (
              <MenuItem key={id} value={id}>
                {name}
              </MenuItem>
            ))}
          </TextField>
        )}
        <ToggleButtonGroup
          exclusive
          size="small"
          value={days}
          onChange={(_event, next: number | null) => next && setDays(next)}
          aria-label="Over"
        >
          {PERIODS.map((one) => (
            <ToggleButton
              key={one}
              value={one}
              sx={{
                minWidth: 48,
                color: ink.soft,
                textTransform: 'none',
                '&.Mui-selected': { bgcolor: ink.ink, color: ink.paper },
                '&.Mui-selected:hover': { bgcolor: ink.ink },
              }}
            >
              {one} d
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
      </Box>
      <Notice error={trial.error} />
      {line.data !== undefined && display !== undefined && (
        <LimitChart
          line={line.data}
          from={from}
          to={to}
          events={(result?.events ?? []).filter(({ deviceId }) => deviceId === device?.id)}
          limits={[body.limit, body.low, body.high].filter((one) => one !== undefined)}
          draggable={body.limit !== undefined && (body.comparison === 'above' || body.comparison === 'below')}
          display={display}
          onLimit={onLimit}
        />
      )}
      {result !== undefined && result.events.length > 0 && (
        <Box
          component="ul"
          sx={{
            listStyle: 'none',
            p: 0,
            m: 0,
            mt: 1,
            color: ink.soft,
            fontSize: '0.9rem',
            columns: { sm: 2 },
          }}
        >
          {result.events.slice(0, MOST_SHOWN).map((event) => (
            <li key={`${event.deviceId}${event.openedAt}`}>
              {watched.length > 1 && `${event.deviceName}, `}
              {showClock(event.openedAt, to)}
              {event.closedAt === null
                ? ', still open'
                : ` for ${showDuration(event.closedAt - event.openedAt)}`}
              {event.extreme !== null && `, peak ${show(event.extreme)}`}
            </li>
          ))}
        </Box>
      )}
    </Box>
  );
}

const isDrawn = (type: string): boolean => type !== 'text' && type !== 'location' && type !== 'image';

/** A value that has not changed for a moment. */
function useSettled(value: string): string {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), SETTLED_MS);
    return () => clearTimeout(timer);
  }, [value]);
  return settled;
}
