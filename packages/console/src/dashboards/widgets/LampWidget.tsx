import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { lampLook, type LampLook } from '@peatmoor/core';
import { ink } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';
import { OneValue } from './OneValue';

/** Below this width of the widget lamp and word are smaller, in px. */
const NARROW_PX = 110;

function LampBody({ widget, sources: [source] }: WidgetProps): ReactNode {
  return (
    <OneValue source={source}>
      {({ value, quiet }) => <Lamp {...lampLook(widget.options, value, quiet)} />}
    </OneValue>
  );
}

export const lamp: DrawnWidget = { Body: LampBody, phoneHeight: 116 };

/** A lamp: rays and word while on, an empty ring while off, dashed while that is not known now; a square one where it is trouble. */
function Lamp({ state, words, trouble, old }: LampLook): ReactNode {
  const on = state === 'on';
  const strong = trouble ? ink.rowan : ink.ink;
  const shape = {
    fill: on ? (trouble ? ink.rowan : ink.gorse) : 'none',
    stroke: on ? ink.ink : strong,
    strokeWidth: 1.8,
    strokeDasharray: old ? '4 3' : undefined,
  };
  return (
    <Box
      sx={{
        height: '100%',
        display: 'flex',
        alignItems: 'center',
        alignContent: 'flex-start',
        flexWrap: 'nowrap',
        gap: 1.5,
        maxHeight: 60,
        fontSize: '1.3rem',
        '& > svg': { width: 44, height: 44 },
        // A word stays whole where there is little room for it.
        [`@container (max-width: ${NARROW_PX}px)`]: {
          gap: 0.75,
          fontSize: '0.95rem',
          '& > svg': { width: 30, height: 30 },
        },
      }}
      data-lamp={state}
    >
      <svg viewBox="0 0 44 44" aria-hidden style={{ flex: 'none' }}>
        {on &&
          Array.from({ length: 12 }, (_, i) => (
            <line
              key={i}
              x1="22"
              y1="2"
              x2="22"
              y2="7"
              stroke={strong}
              strokeWidth="2"
              transform={`rotate(${i * 30} 22 22)`}
            />
          ))}
        {trouble ? (
          <rect x="12" y="12" width="20" height="20" {...shape} />
        ) : (
          <circle cx="22" cy="22" r="11" {...shape} />
        )}
      </svg>
      <Box
        sx={{
          lineHeight: 1.15,
          overflowWrap: 'anywhere',
          fontWeight: on || trouble ? 700 : 400,
          color: on || trouble ? strong : ink.soft,
        }}
      >
        {words}
      </Box>
    </Box>
  );
}
