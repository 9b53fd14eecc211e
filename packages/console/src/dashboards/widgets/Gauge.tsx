import { useMemo, type ReactNode } from 'react';
import { Box } from '@mui/material';
import { graduations } from '@peatmoor/core';
import { PERIODS } from '../../charts/period';
import { useHistory } from '../../charts/useHistory';
import { useDisplay } from '../../parts/useDisplay';
import { ink, MONO } from '../../theme';
import type { Source } from '../useCatalogue';

const STAFF = { top: 14, bottom: 246, left: 66, width: 26 };

/**
 * A graduated upright staff: a solid notch is what is measured, a hollow one what is wanted, the side band is
 * least to greatest of the last 24 hours.
 */
export function Gauge({
  source,
  value: stored,
  wanted: storedWanted,
  min: storedMin,
  max: storedMax,
  sample,
}: {
  source: Source;
  value: number | undefined;
  wanted?: number | undefined;
  min: number;
  max: number;
  sample: boolean;
}): ReactNode {
  const display = useDisplay()(source.stream);
  const shown = (one: number | undefined): number | undefined =>
    one === undefined ? undefined : display.convert(one);
  const [value, wanted] = [shown(stored), shown(storedWanted)];
  const [min, max] = [display.convert(storedMin), display.convert(storedMax)];
  const day = useDayRange(source, display.convert);
  const marks = useMemo(() => graduations(min, max, 6), [min, max]);
  const fine = useMemo(() => graduations(min, max, 30), [min, max]);
  const y = (at: number): number =>
    STAFF.bottom - ((Math.min(max, Math.max(min, at)) - min) / (max - min || 1)) * (STAFF.bottom - STAFF.top);
  const right = STAFF.left + STAFF.width;
  return (
    <Box sx={{ height: '100%', display: 'flex', flexDirection: 'column', minHeight: 0 }}>
      <Box
        component="svg"
        viewBox="0 0 160 260"
        preserveAspectRatio="xMidYMid meet"
        role="img"
        aria-label={`${source.stream.title} between ${min} and ${max}`}
        sx={{ flex: 1, minHeight: 0, width: '100%' }}
      >
        {day && (
          <rect
            x={right + 5}
            y={y(day.max)}
            width={6}
            height={Math.max(2, y(day.min) - y(day.max))}
            fill={ink.pool}
            opacity={0.35}
          />
        )}
        <rect
          x={STAFF.left}
          y={STAFF.top}
          width={STAFF.width}
          height={STAFF.bottom - STAFF.top}
          fill="none"
          stroke={ink.ink}
          strokeWidth={1}
        />
        {fine.slice(0, -1).map((mark, i) => (
          <rect
            key={mark}
            x={i % 2 === 0 ? STAFF.left : STAFF.left + STAFF.width / 2}
            y={y(fine[i + 1]!)}
            width={STAFF.width / 2}
            height={y(mark) - y(fine[i + 1]!)}
            fill={ink.ink}
            opacity={0.16}
          />
        ))}
        {marks.map((mark) => (
          <g key={mark}>
            <line x1={STAFF.left - 7} x2={STAFF.left} y1={y(mark)} y2={y(mark)} stroke={ink.ink} />
            <text
              x={STAFF.left - 11}
              y={y(mark) + 4.5}
              textAnchor="end"
              fontSize={13.5}
              fontFamily={MONO}
              fill={ink.soft}
            >
              {mark}
            </text>
          </g>
        ))}
        {wanted !== undefined && (
          <path
            d={`M${STAFF.left - 2} ${y(wanted)}h${STAFF.width + 4}l13 -8v16l-13 -8`}
            fill={ink.paper}
            stroke={ink.heather}
            strokeWidth={2}
            strokeLinejoin="round"
          />
        )}
        {value !== undefined && (
          <g opacity={sample ? 0.45 : 1}>
            <line
              x1={STAFF.left - 2}
              x2={right + 3}
              y1={y(value)}
              y2={y(value)}
              stroke={ink.pool}
              strokeWidth={3.5}
            />
            <path
              d={`M${right + 3} ${y(value)}l17 -10v20z`}
              fill={ink.pool}
              stroke={ink.pool}
              strokeLinejoin="round"
            />
          </g>
        )}
      </Box>
      <Box sx={{ textAlign: 'center', fontFamily: MONO, fontSize: '1.25rem', lineHeight: 1.2 }}>
        {stored === undefined ? '–' : display.value(stored)}{' '}
        <span style={{ fontSize: '0.8em', color: ink.soft }}>{display.unit}</span>
      </Box>
    </Box>
  );
}

/** Least and greatest of the last 24 hours, or null where nothing was measured. */
function useDayRange(
  { device, stream }: Source,
  convert: (value: number) => number,
): { min: number; max: number } | null {
  const [line] = useHistory(device === null ? [] : [{ device: device.id, stream: stream.key }], PERIODS[2]);
  if (line === undefined || line.min.length === 0) return null;
  return { min: convert(Math.min(...line.min)), max: convert(Math.max(...line.max)) };
}
