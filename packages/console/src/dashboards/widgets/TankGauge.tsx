import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { ink, MONO } from '../../theme';
import { isIn, letterSize, placeOn, type GaugeFacts } from './gaugeShapes';
import { ZONE_INKS } from './scale';

const TANK = { left: 58, right: 138, top: 10, bottom: 196 };

/** A tank with its surface: what is measured fills it, a dashed line is what is wanted. */
export function TankGauge({ facts, title }: { facts: GaugeFacts; title: string }): ReactNode {
  const { value, wanted, target, day, zones, marks, min, max, sample, width: room, height } = facts;
  const size = letterSize({ width: room, height }, { width: 170, height: 206 }, 13);
  const y = (one: number): number => TANK.bottom - placeOn(facts, one) * (TANK.bottom - TANK.top);
  const width = TANK.right - TANK.left;
  const surface = value === undefined ? TANK.bottom : y(value);
  return (
    <Box
      component="svg"
      viewBox="0 0 170 206"
      preserveAspectRatio="xMidYMid meet"
      role="img"
      aria-label={`${title} between ${min} and ${max}`}
      sx={{ display: 'block', width: '100%', height: '100%' }}
    >
      {zones.map(({ name, min: low, max: high, tone }) => (
        <rect
          key={name}
          x={TANK.right + 4}
          y={y(high ?? max)}
          width={5}
          height={Math.max(0, y(low ?? min) - y(high ?? max))}
          fill={ink[ZONE_INKS[tone]]}
          opacity={isIn(value, low, high) ? 0.6 : 0.2}
        >
          <title>{name}</title>
        </rect>
      ))}
      {value !== undefined && (
        <path
          d={`M${TANK.left} ${surface}q${width / 8} -4 ${width / 4} 0t${width / 4} 0t${width / 4} 0t${width / 4} 0V${TANK.bottom}H${TANK.left}z`}
          fill={ink.pool}
          opacity={sample ? 0.25 : 0.55}
        />
      )}
      {day && (
        <rect
          x={TANK.right + 12}
          y={y(day.max)}
          width={5}
          height={Math.max(2, y(day.min) - y(day.max))}
          fill={ink.pool}
          opacity={0.35}
        />
      )}
      <path
        d={`M${TANK.left} ${TANK.top}V${TANK.bottom}H${TANK.right}V${TANK.top}`}
        fill="none"
        stroke={ink.ink}
        strokeWidth={2}
      />
      {marks.map((mark) => (
        <g key={mark}>
          <line x1={TANK.left - 7} x2={TANK.left} y1={y(mark)} y2={y(mark)} stroke={ink.ink} />
          <text
            x={TANK.left - 11}
            y={y(mark) + 4.5}
            textAnchor="end"
            fontSize={size}
            fontFamily={MONO}
            fill={ink.soft}
          >
            {mark}
          </text>
        </g>
      ))}
      {target !== null && <path d={`M${TANK.left} ${y(target)}l-12 -6v12z`} fill={ink.moss} />}
      {wanted !== undefined && (
        <line
          x1={TANK.left + 3}
          x2={TANK.right - 3}
          y1={y(wanted)}
          y2={y(wanted)}
          stroke={ink.heather}
          strokeWidth={2.5}
          strokeDasharray="6 4"
        />
      )}
    </Box>
  );
}
