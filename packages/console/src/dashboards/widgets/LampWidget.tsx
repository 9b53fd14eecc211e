import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { ink } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';
import { OneValue } from './OneValue';

function LampBody({ sources: [source] }: WidgetProps): ReactNode {
  return (
    <OneValue source={source}>
      {({ value }) => <Lamp on={value === 1} known={value !== undefined} />}
    </OneValue>
  );
}

export const lamp: DrawnWidget = { Body: LampBody, phoneHeight: 116 };

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
