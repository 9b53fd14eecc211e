import { Box, ButtonBase } from '@mui/material';
import { useEffect, useRef, useState, type KeyboardEvent, type PointerEvent, type ReactNode } from 'react';
import { ink, MONO } from '../theme';

/** A finger goes so far sideways before it moves anything, in px: whoever scrolls moves nothing. */
const SLOP_PX = 8;
/** What is changed step by step is sent once nothing has changed for so long, in ms. */
const PAUSE_MS = 700;
const HANDLE_PX = 22;
/** Steps of a page key. */
const PAGE = 10;

interface Grip {
  pointer: number;
  x: number;
  y: number;
  /** From the middle of the handle to the finger, in px; 0 where the rail was taken. */
  off: number;
  moves: boolean;
}

/**
 * A number along its range. By mouse it goes to where one presses and is sent when let go; a finger moves it sideways only, so that a page
 * can be scrolled over it; arrows and the two buttons go step by step, and are sent together once they pause. Escape takes it back.
 */
export function HandleSlider({
  label,
  value,
  has,
  min,
  max,
  step,
  write,
  disabled,
  busy,
  onSend,
}: {
  label: string;
  /** What it shows; undefined where nothing is known: then it has no handle. */
  value: number | undefined;
  /** What the board has, where something else is on its way. */
  has: number | undefined;
  min: number;
  max: number;
  step: number;
  /** A value with its unit. */
  write: (value: number) => string;
  disabled: boolean;
  /** What was sent last is on its way. */
  busy: boolean;
  onSend: (value: number) => void;
}): ReactNode {
  const rail = useRef<HTMLDivElement>(null);
  /** What is chosen and not sent yet. */
  const [held, setHeld] = useState<number | null>(null);
  const newest = useRef<number | null>(null);
  const grip = useRef<Grip | null>(null);
  const timer = useRef(0);
  const hold = (next: number | null): void => {
    newest.current = next;
    setHeld(next);
  };
  // What was not sent when the page is left is not sent.
  useEffect(() => () => clearTimeout(timer.current), []);
  const shown = held ?? value;
  const share = (of: number): number => Math.min(1, Math.max(0, max > min ? (of - min) / (max - min) : 0));
  const fitted = (next: number): number => {
    const stepped = min + Math.round((next - min) / step) * step;
    return Number(Math.min(max, Math.max(min, stepped)).toPrecision(12));
  };
  const send = (): void => {
    clearTimeout(timer.current);
    const next = newest.current;
    if (next === null) return;
    hold(null);
    if (!disabled && !busy) onSend(next);
  };
  const drop = (): void => {
    clearTimeout(timer.current);
    grip.current = null;
    hold(null);
  };
  /** By steps from what is shown; where nothing is, from the end that it moves away from. */
  const go = (steps: number): void => {
    if (disabled || busy) return;
    const from = newest.current ?? value;
    hold(from === undefined ? (steps > 0 ? min : max) : fitted(from + steps * step));
    clearTimeout(timer.current);
    timer.current = window.setTimeout(send, PAUSE_MS);
  };
  const placeAt = (x: number): number => {
    const { left, width } = rail.current!.getBoundingClientRect();
    return fitted(min + (max - min) * Math.min(1, Math.max(0, width === 0 ? 0 : (x - left) / width)));
  };
  const onDown = (event: PointerEvent): void => {
    if (disabled || busy || event.button !== 0) return;
    const { left, width } = rail.current!.getBoundingClientRect();
    const middle = left + width * (shown === undefined ? -1 : share(shown));
    const isHandle = Math.abs(event.clientX - middle) <= HANDLE_PX;
    const isFinger = event.pointerType === 'touch';
    grip.current = {
      pointer: event.pointerId,
      x: event.clientX,
      y: event.clientY,
      off: isHandle ? event.clientX - middle : 0,
      moves: !isFinger,
    };
    if (isFinger) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    if (!isHandle) hold(placeAt(event.clientX));
  };
  const onMove = (event: PointerEvent): void => {
    const held = grip.current;
    if (held?.pointer !== event.pointerId) return;
    if (!held.moves) {
      const [x, y] = [Math.abs(event.clientX - held.x), Math.abs(event.clientY - held.y)];
      // It scrolls, and not even a finger that turns aside moves it from then on.
      if (y > SLOP_PX && y >= x) return void (grip.current = null);
      if (x < SLOP_PX) return;
      held.moves = true;
      event.currentTarget.setPointerCapture(event.pointerId);
    }
    hold(placeAt(event.clientX - held.off));
  };
  const onUp = (event: PointerEvent): void => {
    if (grip.current?.pointer !== event.pointerId) return;
    grip.current = null;
    send();
  };
  const onKey = (event: KeyboardEvent): void => {
    const steps = {
      ArrowRight: 1,
      ArrowUp: 1,
      ArrowLeft: -1,
      ArrowDown: -1,
      PageUp: PAGE,
      PageDown: -PAGE,
      End: Infinity,
      Home: -Infinity,
    }[event.key];
    if (event.key === 'Escape' && newest.current !== null) drop();
    else if (event.key === 'Enter' && newest.current !== null) send();
    else if (steps === undefined || event.ctrlKey || event.metaKey || event.altKey) return;
    else if (Number.isFinite(steps)) go(steps);
    else if (!disabled && !busy) {
      hold(steps > 0 ? max : min);
      clearTimeout(timer.current);
      timer.current = window.setTimeout(send, PAUSE_MS);
    }
    event.preventDefault();
  };
  const isOpen = !disabled && !busy;
  return (
    <Box sx={{ display: 'flex', alignItems: 'center', gap: 1, flex: '1 1 180px', minWidth: 0 }}>
      <Step words={`${label} less`} sign="−" disabled={disabled} busy={busy} onPress={() => go(-1)} />
      <Box
        ref={rail}
        data-rail
        role="slider"
        tabIndex={disabled ? -1 : 0}
        aria-label={label}
        aria-orientation="horizontal"
        aria-valuemin={min}
        aria-valuemax={max}
        aria-valuenow={shown ?? min}
        aria-valuetext={shown === undefined ? 'never reported' : write(shown)}
        aria-disabled={!isOpen || undefined}
        onPointerDown={onDown}
        onPointerMove={onMove}
        onPointerUp={onUp}
        onPointerCancel={drop}
        onKeyDown={onKey}
        sx={{
          position: 'relative',
          flex: 1,
          minWidth: 60,
          height: 44,
          mx: `${HANDLE_PX / 2}px`,
          // A page is scrolled over it: only what goes sideways comes here.
          touchAction: 'pan-y',
          cursor: isOpen ? 'pointer' : 'default',
          opacity: disabled ? 0.6 : 1,
          outlineOffset: 4,
          userSelect: 'none',
        }}
      >
        <Box sx={{ position: 'absolute', left: 0, right: 0, top: 21, height: 2, bgcolor: ink.soft }} />
        {has !== undefined && (
          <Box
            data-has
            sx={{ position: 'absolute', top: 13, height: 18, width: 4, ml: '-2px', bgcolor: ink.pool }}
            style={{ left: `${share(has) * 100}%` }}
          />
        )}
        {shown !== undefined && (
          <Box
            data-handle
            sx={{
              position: 'absolute',
              top: 11,
              width: HANDLE_PX,
              height: HANDLE_PX,
              ml: `${-HANDLE_PX / 2}px`,
              borderRadius: '2px',
              boxSizing: 'border-box',
              border: `2px solid ${held === null && has === undefined ? ink.ink : ink.heather}`,
              bgcolor: held === null && has === undefined ? ink.ink : ink.paper,
            }}
            style={{ left: `${share(shown) * 100}%` }}
          />
        )}
        {held !== null && (
          <Box
            data-held
            aria-hidden
            sx={{
              position: 'absolute',
              // Above the thumb, and within its widget.
              bottom: 34,
              px: 0.75,
              lineHeight: '18px',
              bgcolor: ink.ink,
              color: ink.paper,
              fontFamily: MONO,
              whiteSpace: 'nowrap',
              pointerEvents: 'none',
              zIndex: 2,
            }}
            style={{ left: `${share(held) * 100}%`, transform: `translateX(-${share(held) * 100}%)` }}
          >
            {write(held)}
          </Box>
        )}
      </Box>
      <Step words={`${label} more`} sign="+" disabled={disabled} busy={busy} onPress={() => go(1)} />
    </Box>
  );
}

/** One step by a single press. */
function Step({
  words,
  sign,
  disabled,
  busy,
  onPress,
}: {
  words: string;
  sign: string;
  disabled: boolean;
  busy: boolean;
  onPress: () => void;
}): ReactNode {
  return (
    <ButtonBase
      aria-label={words}
      aria-disabled={busy || undefined}
      disabled={disabled}
      onClick={onPress}
      sx={{
        width: 44,
        height: 44,
        flex: 'none',
        fontSize: '1.2rem',
        border: `1px solid ${ink.line}`,
        '&.Mui-disabled': { opacity: 0.6 },
        '&:focus-visible': { outline: `3px solid ${ink.heather}`, outlineOffset: 2 },
      }}
    >
      {sign}
    </ButtonBase>
  );
}
