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
  box: 'M3 8 L12 3 L21 8 V16 L12 21 L3 16 Z M3 8 L12 13 L21 8 M12 13 V21',
};

/** The small drawing of a kind; nothing where it has none. */
export function KindMark({ icon, size = 20 }: { icon: string; size?: number }): ReactNode {
  const drawing = DRAWINGS[icon];
  if (drawing === undefined) return null;
  return (
    <Box
      component="svg"
      viewBox="0 0 24 24"
      aria-hidden
      data-icon={icon}
      sx={{ width: size, height: size, flex: 'none', verticalAlign: '-0.2em', color: ink.soft }}
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
