import { Box } from '@mui/material';
import { useMemo, type ReactNode } from 'react';
import { graduations } from '@peatmoor/core';
import { ink, MONO } from '../../theme';
import { isIn, placeOn, type GaugeFacts } from './gaugeShapes';
import { ZONE_INKS } from './scale';

const EDGE = 12;
const WIDTH = 26;

/**
 * A graduated upright staff: a solid notch is what is measured, a hollow one what is wanted, the side band is least to greatest
 * of the last 24 hours, a small flag the target.
 */
export function StaffGauge({ facts, title }: { facts: GaugeFacts; title: string }): ReactNode {
  const { value, wanted, target, day, zones, marks, min, max, sample, width, height } = facts;
  // Drawn in px, so that its figures are of one size whatever there is room for.
  const STAFF = {
    top: EDGE,
    bottom: Math.max(EDGE + 20, height - EDGE),
    left: width / 2 - WIDTH / 2 + 6,
    width: WIDTH,
  };
  const fine = useMemo(() => graduations(min, max, Math.max(8, Math.round(height / 8))), [min, max, height]);
  const y = (at: number): number => STAFF.bottom - placeOn(facts, at) * (STAFF.bottom - STAFF.top);
  const right = STAFF.left + STAFF.width;
  return (
    <Box
      component="svg"
      width={width}
      height={height}
      role="img"
      aria-label={`${title} between ${min} and ${max}`}
      sx={{ display: 'block' }}
    >
      {zones.map(({ name, min: low, max: high, tone }) => (
        <rect
          key={name}
          x={STAFF.left}
          y={y(high ?? max)}
          width={STAFF.width}
          height={Math.max(0, y(low ?? min) - y(high ?? max))}
          fill={ink[ZONE_INKS[tone]]}
          opacity={isIn(value, low, high) ? 0.4 : 0.12}
        >
          <title>{name}</title>
        </rect>
      ))}
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
            fontSize={13}
            fontFamily={MONO}
            fill={ink.soft}
          >
            {mark}
          </text>
        </g>
      ))}
      {target !== null && (
        <path
          d={`M${STAFF.left} ${y(target)}h-13l4 -4.5l-4 -4.5h13`}
          fill={ink.moss}
          stroke={ink.moss}
          strokeLinejoin="round"
        />
      )}
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
        <g
          opacity={sample ? 0.45 : 1}
          style={{ transform: `translateY(${y(value)}px)`, transition: 'transform 180ms' }}
        >
          <line x1={STAFF.left - 2} x2={right + 3} y1={0} y2={0} stroke={ink.pool} strokeWidth={3.5} />
          <path d={`M${right + 3} 0l17 -10v20z`} fill={ink.pool} stroke={ink.pool} strokeLinejoin="round" />
        </g>
      )}
    </Box>
  );
}
