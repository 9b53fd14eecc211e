import { isRefusal, type Refusal } from '../readings/refusals';
import { showReading, takeValue, type TakenValue } from '../readings/value';
import { showUnit } from '../readings/units';
import type { Datastream } from '../readings/types';

/**
 * Takes a value that somebody wants of a control: one outside its range is refused whatever is done with readings outside it,
 * and the remedy speaks to who wants it, not of a sensor.
 */
export function takeWanted(control: Datastream, value: unknown): TakenValue | Refusal {
  const taken = takeValue({ ...control, rangePolicy: 'refuse' }, value, control.key);
  if (!isRefusal(taken)) return taken;
  if (taken.reason === 'not-finite') return { ...taken, hint: 'This is no number. Give one.' };
  if (taken.reason !== 'out-of-range') return taken;
  const { min, max, unit, key } = control;
  const among =
    min === null
      ? `at most ${showReading(control, max!)}`
      : max === null
        ? `at least ${showReading(control, min)}`
        : [`${min} to ${max}`, showUnit(unit)].filter(Boolean).join(' ');
  return { ...taken, hint: `"${key}" takes ${among}. Want one of these, or widen its range.` };
}

/** A value that somebody wants, as it is read; as it is written where the control does not take it. */
export function shownWish(control: Datastream, value: unknown): string {
  const taken = takeWanted(control, value);
  return isRefusal(taken) ? String(value) : showReading(control, taken.value as number | string);
}
