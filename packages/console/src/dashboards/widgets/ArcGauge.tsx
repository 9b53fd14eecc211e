import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { ink, MONO } from '../../theme';
import { isIn, letterSize, placeOn, type GaugeFacts } from './gaugeShapes';
import { ZONE_INKS } from './scale';

const CENTRE = { x: 130, y: 150 };
const RADIUS = 118;
/** Degrees to both sides of upright: shallow. */
const HALF = 60;

function at(place: number, radius: number): [number, number] {
  const angle = ((place * 2 - 1) * HALF * Math.PI) / 180;
  return [CENTRE.x + radius * Math.sin(angle), CENTRE.y - radius * Math.cos(angle)];
}

function arc(from: number, to: number, radius: number): string {
  const [x1, y1] = at(from, radius);
  const [x2, y2] = at(to, radius);
  return `M${x1} ${y1}A${radius} ${radius} 0 0 1 ${x2} ${y2}`;
}

/** A shallow arc with ticks, on which a bead is what is measured and a ring what is wanted. */
export function ArcGauge({ facts, title }: { facts: GaugeFacts; title: string }): ReactNode {
  const { value, wanted, target, day, zones, marks, min, max, sample, width: room, height } = facts;
  const size = letterSize({ width: room, height }, { width: 260, height: 112 }, 12);
  const place = (one: number): number => placeOn(facts, one);
  return (
    <Box
      component="svg"
      viewBox="0 0 260 112"
      preserveAspectRatio="xMidYMid meet"
      role="img"
      aria-label={`${title} between ${min} and ${max}`}
      sx={{ display: 'block', width: '100%', height: '100%' }}
    >
      {zones.map(({ name, min: low, max: high, tone }) => (
        <path
          key={name}
          d={arc(place(low ?? min), place(high ?? max), RADIUS - 9)}
          fill="none"
          stroke={ink[ZONE_INKS[tone]]}
          strokeWidth={8}
          opacity={isIn(value, low, high) ? 0.4 : 0.12}
        >
          <title>{name}</title>
        </path>
      ))}
      {day && (
        <path
          d={arc(place(day.min), Math.max(place(day.min) + 0.01, place(day.max)), RADIUS + 7)}
          fill="none"
          stroke={ink.pool}
          strokeWidth={4}
          opacity={0.35}
        />
      )}
      <path d={arc(0, 1, RADIUS)} fill="none" stroke={ink.ink} strokeWidth={1.5} />
      {marks.map((mark) => {
        const [x1, y1] = at(place(mark), RADIUS);
        const [x2, y2] = at(place(mark), RADIUS - 9);
        const [x, y] = at(place(mark), RADIUS - 12 - size);
        return (
          <g key={mark}>
            <line x1={x1} y1={y1} x2={x2} y2={y2} stroke={ink.ink} />
            <text x={x} y={y + 4} textAnchor="middle" fontSize={size} fontFamily={MONO} fill={ink.soft}>
              {mark}
            </text>
          </g>
        );
      })}
      {target !== null && (
        <path
          d={`M${at(place(target), RADIUS + 2).join(' ')}L${at(place(target) - 0.02, RADIUS + 14).join(' ')}L${at(place(target) + 0.02, RADIUS + 14).join(' ')}z`}
          fill={ink.moss}
        />
      )}
      {wanted !== undefined && (
        <circle
          cx={at(place(wanted), RADIUS)[0]}
          cy={at(place(wanted), RADIUS)[1]}
          r={9}
          fill={ink.paper}
          stroke={ink.heather}
          strokeWidth={2.5}
        />
      )}
      {value !== undefined && (
        <circle
          cx={at(place(value), RADIUS)[0]}
          cy={at(place(value), RADIUS)[1]}
          r={7}
          fill={ink.pool}
          stroke={ink.paper}
          strokeWidth={2}
          opacity={sample ? 0.45 : 1}
          style={{ transition: 'cx 180ms, cy 180ms' }}
        />
      )}
    </Box>
  );
}
