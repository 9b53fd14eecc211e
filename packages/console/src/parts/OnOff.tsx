import { Box, ButtonBase } from '@mui/material';
import type { ReactNode } from 'react';
import { ink } from '../theme';

/**
 * Two words beside each other, each of which sends what it says. The one that the board has is filled; the one that is on its way has a
 * dashed edge; where nothing is known none is. A second press by accident sends the same again and undoes nothing.
 */
export function OnOff({
  has,
  wanted,
  label,
  disabled,
  busy,
  onPress,
}: {
  /** What the board has; undefined where that is not known. */
  has: boolean | undefined;
  /** What is on its way; undefined for nothing. */
  wanted?: boolean | undefined;
  label: string;
  disabled: boolean;
  /** A press is on its way: another does nothing until that has come somewhere, and the focus stays. */
  busy: boolean;
  onPress: (on: boolean) => void;
}): ReactNode {
  return (
    <Box
      role="group"
      aria-label={label}
      sx={{
        alignSelf: 'flex-start',
        display: 'grid',
        gridTemplateColumns: '1fr 1fr',
        border: `1.5px solid ${ink.ink}`,
        borderRadius: '2px',
        fontSize: '1rem',
        minWidth: 130,
        flex: 'none',
        opacity: disabled ? 0.6 : 1,
      }}
    >
      {[false, true].map((on) => {
        const word = on ? 'on' : 'off';
        const isHad = has === on;
        const isWanted = wanted === on && !isHad;
        return (
          <ButtonBase
            key={word}
            aria-label={`${label} ${word}`}
            aria-pressed={isHad}
            aria-disabled={busy || undefined}
            disabled={disabled}
            data-wanted={isWanted || undefined}
            onClick={() => !busy && onPress(on)}
            sx={{
              px: 2,
              minHeight: 44,
              font: 'inherit',
              bgcolor: isHad ? ink.ink : 'transparent',
              color: isHad ? ink.paper : isWanted ? ink.heather : ink.soft,
              fontWeight: isHad || isWanted ? 700 : 400,
              ...(isWanted && { outline: `2px dashed ${ink.heather}`, outlineOffset: '-4px' }),
              '&:focus-visible': { outline: `3px solid ${ink.heather}`, outlineOffset: 2, zIndex: 1 },
            }}
          >
            {word}
          </ButtonBase>
        );
      })}
    </Box>
  );
}
