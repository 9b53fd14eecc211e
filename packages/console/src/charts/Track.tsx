import { counted, letterSize } from '@peatmoor/core';
import { Box } from '@mui/material';
import { useRef, type ReactNode } from 'react';
import { useSize } from '../parts/useSize';
import { dates, showClock } from '../parts/time';
import { ink, MONO } from '../theme';
import { serviceNow } from '../live/clock';

const WIDTH = 560;
const HEIGHT = 320;
const EDGE = 34;
const MOST_PX = 720;
/** Metres in a degree of latitude. */
const DEGREE_M = 111_320;

/** Where something was, as a surveyor's sketch: north is up, the newest place is filled, a scale lies below. */
export function Track({ places }: { places: { at: number; lat: number; lon: number }[] }): ReactNode {
  const room = useRef<HTMLDivElement>(null);
  const letters = letterSize(
    { width: Math.min(useSize(room).width, MOST_PX), height: Infinity },
    { width: WIDTH, height: HEIGHT },
    12,
  );
  const lats = places.map(({ lat }) => lat);
  const lons = places.map(({ lon }) => lon);
  const middleLat = (Math.min(...lats) + Math.max(...lats)) / 2;
  const middleLon = (Math.min(...lons) + Math.max(...lons)) / 2;
  const narrow = Math.cos((middleLat * Math.PI) / 180);
  const spanM = Math.max(
    20,
    (Math.max(...lats) - Math.min(...lats)) * DEGREE_M,
    ((Math.max(...lons) - Math.min(...lons)) * DEGREE_M * narrow * (HEIGHT - 2 * EDGE)) / (WIDTH - 2 * EDGE),
  );
  const pixels = (HEIGHT - 2 * EDGE) / spanM;
  const x = (lon: number): number => WIDTH / 2 + (lon - middleLon) * DEGREE_M * narrow * pixels;
  const y = (lat: number): number => HEIGHT / 2 - (lat - middleLat) * DEGREE_M * pixels;
  const ordered = [...places].sort((a, b) => a.at - b.at);
  const scaleM = [5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10_000, 50_000, 200_000].find(
    (metres) => metres * pixels > 60,
  )!;
  const newest = ordered.at(-1)!;
  const now = serviceNow();
  // Its time stands where there is room for it.
  const isRight = x(newest.lon) > WIDTH * 0.75;
  return (
    <Box ref={room} sx={{ height: '100%' }}>
      <Box
        component="svg"
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        role="img"
        aria-label={`${counted(places.length, 'place')}, the newest ${newest.lat}, ${newest.lon}`}
        sx={{ width: '100%', maxWidth: MOST_PX, maxHeight: '100%', display: 'block' }}
      >
        <rect x="0.5" y="0.5" width={WIDTH - 1} height={HEIGHT - 1} fill="none" stroke={ink.line} />
        <path
          d={ordered
            .map(({ lat, lon }, i) => `${i === 0 ? 'M' : 'L'}${x(lon).toFixed(1)} ${y(lat).toFixed(1)}`)
            .join('')}
          fill="none"
          stroke={ink.pool}
          strokeWidth="1.4"
          opacity="0.7"
          strokeLinejoin="round"
        />
        {ordered.map(({ at, lat, lon }) => (
          <circle key={at} cx={x(lon)} cy={y(lat)} r="2.2" fill={ink.paper} stroke={ink.pool}>
            <title>{`${dates().exact(at)}: ${lat}, ${lon}`}</title>
          </circle>
        ))}
        <circle
          cx={x(newest.lon)}
          cy={y(newest.lat)}
          r="6"
          fill={ink.pool}
          stroke={ink.paper}
          strokeWidth="1.5"
        />
        <text
          x={x(newest.lon) + (isRight ? -10 : 10)}
          y={y(newest.lat) + letters / 3}
          textAnchor={isRight ? 'end' : 'start'}
          fontSize={letters}
          fontFamily={MONO}
          fill={ink.ink}
        >
          {showClock(newest.at, now)}
        </text>
        <path d={`M${WIDTH - 22} 40V14m-5 8l5 -9l5 9`} fill="none" stroke={ink.ink} strokeWidth="1.4" />
        <text x={WIDTH - 22} y={42 + letters} fontSize={letters} textAnchor="middle" fill={ink.ink}>
          N
        </text>
        <path
          d={`M14 ${HEIGHT - 18}v6h${(scaleM * pixels).toFixed(1)}v-6`}
          fill="none"
          stroke={ink.ink}
          strokeWidth="1.4"
        />
        <text x={20} y={HEIGHT - 22} fontSize={letters} fontFamily={MONO} fill={ink.soft}>
          {scaleM >= 1000 ? `${scaleM / 1000} km` : `${scaleM} m`}
        </text>
      </Box>
    </Box>
  );
}
