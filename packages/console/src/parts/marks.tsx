import { Box } from '@mui/material';
import type { ComponentProps, ReactNode } from 'react';
import type { CommandState, Presence } from '@peatmoor/core';
import { ink } from '../theme';
import { showClock } from './time';

const svg = {
  width: '1em',
  height: '1em',
  viewBox: '0 0 16 16',
  'aria-hidden': true,
  style: { flex: 'none', verticalAlign: '-0.12em' },
} as const;

/** Shape of a command's state: dashed ring waiting, half ring sent, full applied, ticked when confirmed, a ring with a stroke when not, dotted ring not known, crossed box refused or expired. */
export function CommandShape({ state }: { state: CommandState }): ReactNode {
  if (state === 'waiting')
    return (
      <svg {...svg}>
        <circle
          cx="8"
          cy="8"
          r="6"
          fill="none"
          stroke={ink.heather}
          strokeWidth="2"
          strokeDasharray="3 2.3"
        />
      </svg>
    );
  if (state === 'sent')
    return (
      <svg {...svg}>
        <circle cx="8" cy="8" r="6" fill="none" stroke={ink.heather} strokeWidth="1.5" />
        <path d="M8 2a6 6 0 0 0 0 12z" fill={ink.heather} />
      </svg>
    );
  if (state === 'not-known')
    return (
      <svg {...svg}>
        <circle
          cx="8"
          cy="8"
          r="6"
          fill="none"
          stroke={ink.soft}
          strokeWidth="1.5"
          strokeDasharray="1.5 2.3"
        />
      </svg>
    );
  if (state === 'applied')
    return (
      <svg {...svg}>
        <circle cx="8" cy="8" r="6.5" fill={ink.moss} />
      </svg>
    );
  if (state === 'confirmed')
    return (
      <svg {...svg}>
        <circle cx="8" cy="8" r="7" fill={ink.moss} />
        <path d="m4.5 8.2 2.5 2.6 4.6-5.2" fill="none" stroke={ink.paper} strokeWidth="1.8" />
      </svg>
    );
  if (state === 'not-confirmed')
    return (
      <svg {...svg}>
        <circle cx="8" cy="8" r="6" fill="none" stroke={ink.rowan} strokeWidth="1.5" />
        <path d="M4.5 8h7" stroke={ink.rowan} strokeWidth="2" />
      </svg>
    );
  return (
    <svg {...svg}>
      <path d="M2.5 2.5h11v11h-11zl11 11m0-11-11 11" fill="none" stroke={ink.rowan} strokeWidth="1.5" />
    </svg>
  );
}

/** How far a press has come before there is a command: on its way, or not known as no answer came. */
export function PressMark({ state }: { state: 'sending' | 'not known' }): ReactNode {
  return (
    <Box
      component="span"
      data-state={state}
      sx={{ display: 'inline-flex', alignItems: 'center', gap: 0.75, fontSize: '0.9rem' }}
    >
      <CommandShape state="not-known" />
      {state === 'sending' ? 'on its way …' : 'not known; looking it up …'}
    </Box>
  );
}

/** A command's state as shape and word. */
export function CommandMark({ state, note }: { state: CommandState; note?: string }): ReactNode {
  return (
    <Box
      component="span"
      data-state={state}
      sx={{ display: 'inline-flex', alignItems: 'center', gap: 0.75, fontSize: '0.9rem' }}
    >
      <CommandShape state={state} />
      {state.replace('-', ' ')}
      {note && `: ${note}`}
    </Box>
  );
}

/** A flag: filled while an event is open, outlined once acknowledged; gone pale when closed. */
export function EventFlag({
  open,
  acknowledged,
  urgent,
}: {
  open: boolean;
  acknowledged: boolean;
  urgent: boolean;
}): ReactNode {
  const colour = open ? (urgent ? ink.rowan : ink.ink) : ink.soft;
  const fill = open && !acknowledged ? (urgent ? ink.rowan : ink.gorse) : 'none';
  return (
    <svg {...svg} style={{ ...svg.style, width: '1.2em', height: '1.2em' }}>
      <path
        d="M3 15V1.5h9.5L10 5l2.5 3.5H3"
        fill={fill}
        stroke={colour}
        strokeWidth="1.4"
        strokeLinejoin="round"
      />
    </svg>
  );
}

/** Words about what is no longer from now. */
export function Hatched({ children, ...rest }: ComponentProps<typeof Box>): ReactNode {
  return (
    <Box
      component="span"
      {...rest}
      sx={{
        fontSize: '0.9rem',
        px: 0.5,
        color: ink.ink,
        background: `repeating-linear-gradient(135deg, ${ink.line} 0 1px, transparent 1px 5px)`,
      }}
    >
      {children}
    </Box>
  );
}

/** Presence in words: nothing special while online, hatching and "not heard since" when quiet. */
export function PresenceMark({ presence, now }: { presence: Presence; now: number }): ReactNode {
  if (presence.state === 'online')
    return (
      <Box component="span" sx={{ color: ink.soft, fontSize: '0.9rem' }}>
        online
      </Box>
    );
  if (presence.state === 'never')
    return (
      <Box component="span" sx={{ color: ink.heather, fontSize: '0.9rem' }}>
        never reported
      </Box>
    );
  return <Hatched>not heard since {showClock(presence.since, now)}</Hatched>;
}
