import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { choicesOf, optionOf, readIcons } from '@peatmoor/core';
import { KindMark } from '../../parts/KindMark';
import { ink } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';
import { OneValue } from './OneValue';

/** Letters of a choice that take more than a line. */
const LONG = 20;

/** Which of its choices something is in: a notch beside it, and the others above and below. */
function StateBody({ widget, sources: [source] }: WidgetProps): ReactNode {
  const { stream } = source;
  const choices = choicesOf(stream);
  const all = optionOf(widget, 'others') === true;
  const icons = readIcons(String(optionOf(widget, 'icons')));
  // Words stand below each other where only some have a drawing.
  const drawn = typeof icons !== 'string' && icons.some(Boolean);
  return (
    <OneValue source={source}>
      {({ value }) => (
        <Box
          role="list"
          sx={{
            height: '100%',
            display: 'flex',
            flexDirection: 'column',
            // What does not fit is cut below, where others stand, and never what it is in.
            justifyContent: 'safe center',
            overflow: 'hidden',
          }}
        >
          {choices.map((choice, i) => {
            const here = value === i;
            if (!here && !all) return null;
            return (
              <Box
                key={choice}
                role="listitem"
                aria-current={here || undefined}
                sx={{
                  borderLeft: `2px solid ${ink.ink}`,
                  pl: 1.5,
                  py: 0.25,
                  position: 'relative',
                  fontSize: here ? (choice.length > LONG ? '1rem' : '1.25rem') : '0.9rem',
                  overflowWrap: 'anywhere',
                  flexShrink: here ? 0 : 1,
                  minHeight: 0,
                  ...(!here && { overflow: 'hidden', whiteSpace: 'nowrap', textOverflow: 'ellipsis' }),
                  fontWeight: here ? 700 : 400,
                  color: here ? ink.ink : ink.soft,
                  lineHeight: 1.3,
                  '&::before': here
                    ? {
                        content: '""',
                        position: 'absolute',
                        left: -2,
                        top: '50%',
                        border: '7px solid transparent',
                        borderLeftColor: ink.pool,
                        transform: 'translateY(-50%)',
                      }
                    : {},
                }}
              >
                {drawn && (
                  <Box component="span" sx={{ display: 'inline-block', width: here ? 30 : 22 }}>
                    <KindMark icon={icons[i] ?? ''} size={here ? 24 : 16} color={here ? ink.ink : ink.soft} />
                  </Box>
                )}
                {choice}
              </Box>
            );
          })}
          {value === undefined && !all && '–'}
        </Box>
      )}
    </OneValue>
  );
}

export const state: DrawnWidget = { Body: StateBody, phoneHeight: 150 };
