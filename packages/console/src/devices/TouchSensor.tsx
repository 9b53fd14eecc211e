import { Box, Button } from '@mui/material';
import { useState, useSyncExternalStore, type ReactNode } from 'react';
import { whatChanged, wobbleOf, type Touched, type Value } from '@peatmoor/core';
import type { Kind } from '@peatmoor/contract';
import { liveStore, useNow } from '../live';
import { useDisplay } from '../parts/useDisplay';
import { dates } from '../parts/time';
import { ink, MONO } from '../theme';
import { serviceNow } from '../live/clock';

const LOOKED_AT_MS = 120_000;
const WOBBLE_POINTS = 30;

interface Began {
  at: number;
  before: Record<string, Value | undefined>;
  wobble: Record<string, number>;
}

/** Names what changes, and by how much, while its maker touches a sensor: which wire is which, and whether it works. */
export function TouchSensor({ device, kind }: { device: string; kind: Kind }): ReactNode {
  const [began, setBegan] = useState<Began | null>(null);
  const now = useNow(500);
  const streams = kind.streams.filter(({ direction, type }) => direction !== 'control' && type !== 'image');
  const newest = useSyncExternalStore(liveStore.subscribe, () =>
    JSON.stringify(streams.map(({ key }) => liveStore.newest(device, key)?.at ?? 0)),
  );
  const begin = (): void =>
    setBegan({
      at: serviceNow(),
      before: Object.fromEntries(streams.map(({ key }) => [key, liveStore.newest(device, key)?.value])),
      wobble: wobbleOf(
        Object.fromEntries(
          streams.map(({ key }) => [
            key,
            liveStore
              .tail(device, key)
              .slice(-WOBBLE_POINTS)
              .map(({ value }) => value),
          ]),
        ),
      ),
    });
  const changed = began === null ? [] : sinceThen(device, kind, began);
  const over = began !== null && now - began.at > LOOKED_AT_MS;
  return (
    <Box
      sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'baseline', mt: 1.5 }}
      data-touch={newest.length}
    >
      <Button variant="text" onClick={began === null || over ? begin : () => setBegan(null)}>
        {began === null || over ? 'Which is it? Press, then touch the sensor' : 'Enough'}
      </Button>
      {began !== null && changed.length === 0 && !over && (
        <span style={{ color: ink.soft }}>Touch the sensor now. Nothing has changed yet.</span>
      )}
      {changed.map((one) => (
        <Change key={one.key} kind={kind} change={one} after={Math.round((one.at - began!.at) / 1000)} />
      ))}
      {over && changed.length === 0 && (
        <span>Nothing changed in two minutes. Look at the wire and the pin.</span>
      )}
    </Box>
  );
}

/** What changed since, with when. */
function sinceThen(device: string, kind: Kind, { at, before, wobble }: Began): (Touched & { at: number })[] {
  const since = kind.streams.flatMap(({ key }) => {
    const points = liveStore.tail(device, key).filter((point) => point.at >= at);
    if (points.length > 0) return points.map((point) => ({ key, at: point.at, value: point.value as Value }));
    const newest = liveStore.newest(device, key);
    return newest !== undefined && newest.at >= at ? [{ key, ...newest }] : [];
  });
  return whatChanged(
    before,
    since.map(({ key, value }) => [key, value]),
    wobble,
  ).map((one) => ({
    ...one,
    at: since.find(({ key, value }) => key === one.key && value === one.after)?.at ?? at,
  }));
}

function Change({ kind, change, after }: { kind: Kind; change: Touched; after: number }): ReactNode {
  const displayOf = useDisplay();
  const stream = kind.streams.find(({ key }) => key === change.key);
  if (stream === undefined) return null;
  const display = displayOf(stream);
  const numeric =
    typeof change.before === 'number' && typeof change.after === 'number' && stream.type !== 'boolean';
  const by = numeric ? display.convert(change.after as number) - display.convert(change.before as number) : 0;
  const digits = stream.decimals ?? 2;
  return (
    <Box component="span" data-changed={change.key}>
      {stream.title}{' '}
      <b style={{ fontFamily: MONO, color: ink.pool }}>
        {numeric
          ? `${by > 0 ? '+' : '−'}${dates().figure(Math.abs(by).toFixed(digits))} ${display.unit}`
          : `${display.value(change.before)} → ${display.value(change.after)}`}
      </b>{' '}
      <span style={{ color: ink.soft }}>in {after} s</span>
    </Box>
  );
}
