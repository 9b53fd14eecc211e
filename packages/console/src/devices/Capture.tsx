import { Box, Button } from '@mui/material';
import { useEffect, useState, type ReactNode } from 'react';
import { showReading, StatisticsGatherer, type Datastream } from '@peatmoor/core';
import { useNow } from '../live';
import { dates } from '../parts/time';
import { ink } from '../theme';
import { serviceNow } from '../live/clock';

const SECONDS = 10;

/** What was measured while it was looked at: its mean and spread. */
export interface Captured {
  mean: number;
  spread: number;
  seconds: number;
}

/** Averages what is measured for some seconds, to be set beside a value that is known. */
export function Capture({
  stream,
  measured,
  onTaken,
}: {
  stream: Datastream;
  /** The newest readings as they are kept, before anything makes them right. */
  measured: () => Promise<(readonly [at: number, value: number, ...unknown[]])[]>;
  onTaken: (captured: Captured) => void;
}): ReactNode {
  const [since, setSince] = useState<number | null>(null);
  const [last, setLast] = useState<Captured | 'nothing' | null>(null);
  const now = useNow(500);
  const left = since === null ? 0 : Math.max(0, SECONDS - (now - since) / 1000);
  useEffect(() => {
    if (since === null || now - since < SECONDS * 1000) return;
    setSince(null);
    void measured()
      .catch(() => [])
      .then((all) => {
        const points = all.filter(([at]) => at >= since - 1000);
        const gatherer = new StatisticsGatherer();
        gatherer.add({ times: points.map(([at]) => at), values: points.map(([, value]) => value) });
        const { count, mean, deviation } = gatherer.statistics();
        if (count === 0) return setLast('nothing');
        const captured = { mean: Number(mean!.toPrecision(8)), spread: deviation ?? 0, seconds: SECONDS };
        setLast(captured);
        onTaken(captured);
      });
  }, [now, since, measured, onTaken]);
  return (
    <Box sx={{ mt: 1, display: 'flex', gap: 2, alignItems: 'baseline' }}>
      <Button
        variant="text"
        disabled={since !== null}
        onClick={() => (setLast(null), setSince(serviceNow()))}
      >
        {since === null ? `Take the average of ${SECONDS} s` : `Measuring, ${Math.ceil(left)} s …`}
      </Button>
      {last === 'nothing' && <span>No reading came in that time.</span>}
      {last !== null && last !== 'nothing' && (
        <Box component="span" sx={{ color: ink.soft }}>
          {dates().figure(showReading(stream, last.mean))}, spread{' '}
          {dates().number(Number(last.spread.toPrecision(3)))}
        </Box>
      )}
    </Box>
  );
}
