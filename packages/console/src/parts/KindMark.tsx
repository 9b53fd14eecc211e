import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { ink } from '../theme';

/** Strokes on a field of 24 by 24, drawn for this console. */
const DRAWINGS: Record<string, string> = {
  drop: 'M12 3 C9 8 6 11 6 15 a6 6 0 0 0 12 0 C18 11 15 8 12 3 M9 16 a3 3 0 0 0 3 3',
  gate: 'M4 21 V3 M20 21 V3 M4 6 H20 M7 6 V17 H17 V6 M12 3 V6 M2 20 q2.5 -2 5 0 t5 0 t5 0 t5 0',
  rain: 'M7 13 H17 a3.8 3.8 0 0 0 0.3 -7.6 a6 6 0 0 0 -11.3 1.4 A3.3 3.3 0 0 0 7 13 M8 16 l-1.2 4 M12.5 16 l-1.2 4 M17 16 l-1.2 4',
  bridge: 'M2 14 H22 M2 14 Q12 4 22 14 M6 14 V11 M12 14 V9 M18 14 V11 M5 14 V20 M19 14 V20',
  camera: 'M3 7 H8 L10 4 H14 L16 7 H21 V19 H3 Z M12 9.5 a3.5 3.5 0 1 0 0.01 0',
  collar: 'M12 4 a8.5 5 0 1 0 0.01 0 M12 6.5 a6 2.6 0 1 0 0.01 0 M10 14 H14 V20 H10 Z M12 16 V18',
  antenna:
    'M12 21 V9 M8 21 H16 M12 9 a1 1 0 1 0 -0.01 0 M8.5 12 a5 5 0 0 1 0 -7 M15.5 5 a5 5 0 0 1 0 7 M6 14.5 a8.5 8.5 0 0 1 0 -12 M18 2.5 a8.5 8.5 0 0 1 0 12',
  thermometer: 'M10 13.5 V5 a2 2 0 0 1 4 0 V13.5 a4 4 0 1 1 -4 0 M12 8 V17 M17 6 H20 M17 10 H19',
  lamp: 'M7 10 a5 5 0 1 1 10 0 c0 3 -2.5 3.5 -2.5 7 H9.5 C9.5 13.5 7 13 7 10 M10 20 H14',
  plug: 'M8 3 V8 M16 3 V8 M6 8 H18 V12 a6 6 0 0 1 -12 0 Z M12 18 V22',
  leaf: 'M4 20 C4 9 10 4 20 4 C20 14 15 20 7 18 M4 20 C8 14 11 11 15 9',
  wind: 'M3 9 H14 a3 3 0 1 0 -3 -3 M3 13 H18 a3 3 0 1 1 -3 3 M3 17 H10 a2 2 0 1 1 -2 2',
  up: 'M12 20 V4 M5 11 L12 4 L19 11',
  down: 'M12 4 V20 M5 13 L12 20 L19 13',
  stop: 'M6 6 H18 V18 H6 Z',
  run: 'M7 4 L19 12 L7 20 Z',
  hand: 'M7 12 V6.5 a1.5 1.5 0 0 1 3 0 V11 V4.5 a1.5 1.5 0 0 1 3 0 V11 V5.5 a1.5 1.5 0 0 1 3 0 V12 V8.5 a1.5 1.5 0 0 1 3 0 V15 a6 6 0 0 1 -6 6 H12 C9 21 8 19 4.5 14.5 a1.5 1.5 0 0 1 2.5 -2.5',
  clock: 'M12 3 a9 9 0 1 0 0.01 0 M12 7 V12 L16 14',
  sun: 'M12 7.5 a4.5 4.5 0 1 0 0.01 0 M12 1.5 V4 M12 20 V22.5 M1.5 12 H4 M20 12 H22.5 M4.6 4.6 L6.3 6.3 M17.7 17.7 L19.4 19.4 M4.6 19.4 L6.3 17.7 M17.7 6.3 L19.4 4.6',
  moon: 'M19.5 14.5 A8.5 8.5 0 1 1 9.5 4.5 A7 7 0 0 0 19.5 14.5',
  flame:
    'M12 3 C13 8 18 9.5 18 15 a6 6 0 0 1 -12 0 C6 12 8 11 8.5 8 C10 9.5 11 10 11.2 11.5 C12.5 9.5 12.6 6 12 3',
  frost: 'M12 2 V22 M3.3 7 L20.7 17 M3.3 17 L20.7 7 M9 4 L12 6.5 L15 4 M9 20 L12 17.5 L15 20',
  locked: 'M5 11 H19 V21 H5 Z M8 11 V7 a4 4 0 0 1 8 0 V11 M12 15 V17.5',
  unlocked: 'M5 11 H19 V21 H5 Z M8 11 V6 a4 4 0 0 1 7.6 -1.7 M12 15 V17.5',
  trouble: 'M12 3 L22 20 H2 Z M12 9 V14 M12 16.9 V17.1',
  tick: 'M4 12.5 L9.5 18 L20 6',
  cross: 'M5 5 L19 19 M19 5 L5 19',
  box: 'M3 8 L12 3 L21 8 V16 L12 21 L3 16 Z M3 8 L12 13 L21 8 M12 13 V21',
};

/** The small drawing of a kind, a dashboard or a choice; nothing where it has none. */
export function KindMark({
  icon,
  size = 20,
  color = ink.soft,
}: {
  icon: string;
  size?: number;
  color?: string;
}): ReactNode {
  const drawing = DRAWINGS[icon];
  if (drawing === undefined) return null;
  return (
    <Box
      component="svg"
      viewBox="0 0 24 24"
      aria-hidden
      data-icon={icon}
      sx={{ width: size, height: size, flex: 'none', verticalAlign: '-0.2em', color }}
    >
      <path
        d={drawing}
        fill="none"
        stroke="currentColor"
        strokeWidth="1.6"
        strokeLinecap="round"
        strokeLinejoin="round"
      />
    </Box>
  );
}
