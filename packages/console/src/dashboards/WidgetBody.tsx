import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { fitRange, isControllable, isNumeric, patienceMs, sampleValue, type Widget } from '@peatmoor/core';
import type { Period } from '../charts/period';
import { useRead } from '../api';
import { useNewest, useNow } from '../live';
import { showClock } from '../parts/time';
import { ink, MONO } from '../theme';
import { Picture } from '../parts/Picture';
import { useDisplay } from '../parts/useDisplay';
import { ChartWidget } from './ChartWidget';
import { Gauge } from './Gauge';
import { SwitchWidget } from './SwitchWidget';
import type { Source } from './useCatalogue';

/** What a widget shows, by its type. */
export function WidgetBody({
  widget,
  sources,
  period,
  editing,
}: {
  widget: Widget;
  sources: (Source | null)[];
  period: Period;
  editing: boolean;
}): ReactNode {
  const known = sources.filter((source) => source !== null);
  const [first] = known;
  if (first === undefined)
    return (
      <Box sx={{ color: ink.rowan, fontSize: '0.9rem' }}>
        Its device or datastream “{widget.sources[0]?.stream}” is gone. Choose another, or remove the widget.
      </Box>
    );
  if (widget.type === 'chart') return <ChartWidget widget={widget} sources={known} period={period} />;
  if (widget.type === 'switch') return <SwitchWidget source={first} disabled={editing} />;
  return <OneValue widget={widget} source={first} />;
}

function OneValue({ widget, source }: { widget: Widget; source: Source }): ReactNode {
  const { device, stream, kind } = source;
  const now = useNow();
  const display = useDisplay()(stream);
  const newest = useNewest(device?.id ?? null, stream.key);
  const commands = useRead(
    'listCommands',
    { params: { device: device?.id ?? '' } },
    device !== null && isControllable(stream),
  ).data;
  const sample = device === null;
  const value = sample ? sampleValue(stream, now) : newest?.value;
  const number = typeof value === 'number' ? value : undefined;
  const command = commands?.find((one) => one.stream === stream.key)?.value;
  const wanted = typeof command === 'number' ? command : undefined;
  const quiet = newest !== undefined && now - newest.at > patienceMs(kind.intervalS) ? newest.at : null;
  const range = fitRange(number ?? 0, number ?? 100);
  return (
    <Box
      sx={{
        height: '100%',
        display: 'flex',
        flexDirection: 'column',
        minHeight: 0,
        opacity: quiet ? 0.75 : 1,
      }}
    >
      <Box sx={{ flex: 1, minHeight: 0 }}>
        {widget.type === 'gauge' && (
          <Gauge
            source={source}
            value={number}
            wanted={wanted}
            min={widget.min ?? stream.min ?? range.min}
            max={widget.max ?? stream.max ?? range.max}
            sample={sample}
          />
        )}
        {widget.type === 'value' && stream.type === 'image' && newest !== undefined && device !== null && (
          <Picture device={device.id} stream={stream} at={newest.at} />
        )}
        {widget.type === 'value' && stream.type !== 'image' && (
          <Box
            sx={{
              height: '100%',
              display: 'flex',
              alignItems: 'center',
              fontFamily: MONO,
              fontSize: isNumeric(stream) ? 'clamp(1.6rem, 2.6vw, 2.3rem)' : '1.15rem',
              overflowWrap: 'anywhere',
              color: sample ? ink.soft : ink.ink,
            }}
          >
            {value === undefined ? '–' : display.value(value)}
            <span style={{ fontSize: '0.5em', color: ink.soft, marginLeft: '0.35em' }}>{display.unit}</span>
          </Box>
        )}
        {widget.type === 'lamp' && <Lamp on={value === 1} known={value !== undefined} />}
      </Box>
      {sample && <Box sx={{ color: ink.heather, fontSize: '0.85rem' }}>sample value</Box>}
      {!sample && newest === undefined && (
        <Box sx={{ color: ink.soft, fontSize: '0.85rem' }}>no reading yet</Box>
      )}
      {quiet && (
        <Box
          sx={{
            fontSize: '0.85rem',
            background: `repeating-linear-gradient(135deg, ${ink.line} 0 1px, transparent 1px 5px)`,
          }}
        >
          no reading since {showClock(quiet, now)}
        </Box>
      )}
    </Box>
  );
}

/** A lamp: rays and word while on, an empty ring while off. */
function Lamp({ on, known }: { on: boolean; known: boolean }): ReactNode {
  return (
    <Box
      sx={{ height: '100%', display: 'flex', alignItems: 'center', gap: 1.5 }}
      data-lamp={known ? (on ? 'on' : 'off') : 'unknown'}
    >
      <svg width="44" height="44" viewBox="0 0 44 44" aria-hidden>
        {on &&
          Array.from({ length: 12 }, (_, i) => (
            <line
              key={i}
              x1="22"
              y1="2"
              x2="22"
              y2="7"
              stroke={ink.ink}
              strokeWidth="2"
              transform={`rotate(${i * 30} 22 22)`}
            />
          ))}
        <circle
          cx="22"
          cy="22"
          r="11"
          fill={on ? ink.gorse : 'none'}
          stroke={ink.ink}
          strokeWidth="1.8"
          strokeDasharray={known ? undefined : '4 3'}
        />
      </svg>
      <Box sx={{ fontSize: '1.3rem', fontWeight: on ? 700 : 400, color: on ? ink.ink : ink.soft }}>
        {known ? (on ? 'on' : 'off') : '–'}
      </Box>
    </Box>
  );
}
