import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { numberOption, optionOf } from '@peatmoor/core';
import { ink } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';
import { OneValue } from './OneValue';

function LampBody({ widget, sources: [source] }: WidgetProps): ReactNode {
  const limit = source.stream.type === 'boolean' ? 0.5 : (numberOption(widget, 'above') ?? 0);
  return (
    <OneValue source={source}>
      {({ value }) => (
        <Lamp
          on={typeof value === 'number' && value > limit}
          known={value !== undefined}
          words={{ on: String(optionOf(widget, 'on')), off: String(optionOf(widget, 'off')) }}
          alarm={optionOf(widget, 'alarm') === true}
        />
      )}
    </OneValue>
  );
}

export const lamp: DrawnWidget = { Body: LampBody, phoneHeight: 116 };

/** A lamp: rays and word while on, an empty ring while off; a square one where on is trouble. */
function Lamp({
  on,
  known,
  words,
  alarm,
}: {
  on: boolean;
  known: boolean;
  words: { on: string; off: string };
  alarm: boolean;
}): ReactNode {
  const shape = {
    fill: on ? (alarm ? ink.rowan : ink.gorse) : 'none',
    stroke: ink.ink,
    strokeWidth: 1.8,
    strokeDasharray: known ? undefined : '4 3',
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
      }}
      data-lamp={known ? (on ? 'on' : 'off') : 'unknown'}
    >
      <svg width="44" height="44" viewBox="0 0 44 44" aria-hidden style={{ flex: 'none' }}>
        {on &&
          Array.from({ length: 12 }, (_, i) => (
            <line
              key={i}
              x1="22"
              y1="2"
              x2="22"
              y2="7"
              stroke={alarm ? ink.rowan : ink.ink}
              strokeWidth="2"
              transform={`rotate(${i * 30} 22 22)`}
            />
          ))}
        {alarm ? (
          <rect x="12" y="12" width="20" height="20" {...shape} />
        ) : (
          <circle cx="22" cy="22" r="11" {...shape} />
        )}
      </svg>
      <Box
        sx={{
          fontSize: '1.3rem',
          lineHeight: 1.15,
          overflowWrap: 'anywhere',
          fontWeight: on ? 700 : 400,
          color: on ? (alarm ? ink.rowan : ink.ink) : ink.soft,
        }}
      >
        {known ? (on ? words.on : words.off) : '–'}
      </Box>
    </Box>
  );
}
