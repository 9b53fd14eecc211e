import { counted } from '../words';
import { showDuration } from '../rules/duration';
import type { Follow } from '../readings/follow';
import { isMeasured, isNumeric, isScalar, type Datastream } from '../readings/types';
import { isRefusal } from '../readings/refusals';
import { showReading, showValue } from '../readings/value';
import { takeWanted } from './wanted';

/** The bounds between which a datastream must come; null for none. */
export interface Band {
  min: number | null;
  max: number | null;
}

/**
 * Between what it must come when a value is wanted; null where this value expects nothing. `before` is what was measured at
 * that time: without it no change can be told.
 */
export function bandOf(
  { way, tolerance, steps }: Follow,
  control: Datastream,
  wanted: number | string,
  before: number | undefined,
): Band | null {
  if (way === 'same') {
    const middle = Number(wanted);
    return Number.isFinite(middle) ? { min: middle - tolerance, max: middle + tolerance } : null;
  }
  const step =
    steps.find((one) => one.wanted !== '' && valueOf(control, one.wanted) === wanted) ??
    steps.find((one) => one.wanted === '');
  if (step === undefined || (way === 'rise' && before === undefined)) return null;
  const from = way === 'rise' ? before! : 0;
  return { min: step.min === null ? null : from + step.min, max: step.max === null ? null : from + step.max };
}

/** The datastream that follows, by its key or one it had before; undefined where it is gone. */
export function followed<S extends Pick<Datastream, 'key' | 'aliases'>>(
  { stream }: Pick<Follow, 'stream'>,
  streams: readonly S[],
): S | undefined {
  return streams.find(({ key }) => key === stream) ?? streams.find(({ aliases }) => aliases.includes(stream));
}

/** True where a measured value lies where it must; what rounding of the bounds leaves does not count. */
export function isWithin({ min, max }: Band, value: number): boolean {
  const slack = 1e-9 * Math.max(1, Math.abs(value));
  return (min === null || value >= min - slack) && (max === null || value <= max + slack);
}

export interface WrongFollow {
  /** Of the follow: `stream`, `steps[1].min`. */
  field: string;
  reason: string;
  remedy: string;
}

/** What is wrong with what must follow a control among the datastreams of its kind; null where nothing is. */
export function checkFollow(
  follow: Follow,
  control: Datastream,
  streams: readonly Datastream[],
): WrongFollow | null {
  const measured = followed(follow, streams);
  if (measured === undefined)
    return {
      field: 'stream',
      reason: `"${follow.stream}" is not a datastream of this kind`,
      remedy: 'Choose one that the device reports.',
    };
  if (!isMeasured(measured) || !isNumeric(measured))
    return {
      field: 'stream',
      reason: `${measured.title} is not measured as a number`,
      remedy: 'Choose a number, a yes-or-no or a choice that the device reports.',
    };
  if (follow.way === 'same') {
    const alike =
      isScalar(control) && isScalar(measured)
        ? control.unit === measured.unit
        : control.type === measured.type && control.choices.join('\n') === measured.choices.join('\n');
    return alike && isNumeric(control)
      ? null
      : {
          field: 'stream',
          reason: `${measured.title} is not the same quantity as ${control.title}`,
          remedy: 'Choose one of the same type and unit, or say the level that each wanted value leads to.',
        };
  }
  if (follow.steps.length === 0)
    return {
      field: 'steps',
      reason: 'are missing',
      remedy: 'Say what must be measured for one wanted value at least.',
    };
  for (const [i, { wanted, min, max }] of follow.steps.entries()) {
    if (wanted !== '' && valueOf(control, wanted) === undefined)
      return {
        field: `steps[${i}].wanted`,
        reason: `"${wanted}" is not a value that ${control.title} takes`,
        remedy: 'Write one of its values, or leave it empty for any.',
      };
    if (min === null && max === null)
      return {
        field: `steps[${i}].min`,
        reason: 'is empty, and so is the other bound',
        remedy: 'Say the least, the most, or both.',
      };
    if (min !== null && max !== null && min > max)
      return { field: `steps[${i}].max`, reason: `is below ${min}`, remedy: 'Make it the greater one.' };
  }
  return null;
}

/** What must follow, as a sentence: "Opening comes within 3 % of it in 30 s". */
export function followSentence(follow: Follow, streams: readonly Datastream[]): string {
  const measured = followed(follow, streams);
  if (measured === undefined) return `"${follow.stream}" is gone: nothing confirms it.`;
  const time = showDuration(follow.withinS * 1000);
  if (follow.way === 'same')
    return follow.tolerance > 0
      ? `Confirmed when ${measured.title} comes within ${showReading(measured, follow.tolerance)} of it in ${time}.`
      : `Confirmed when ${measured.title} is the same in ${time}.`;
  const verb = follow.way === 'level' ? 'is' : 'changes by';
  return `Confirmed when ${measured.title} ${verb} what is said for ${counted(follow.steps.length, 'wanted value')}, in ${time}.`;
}

/** Where it must come, in words: "57 % to 63 %", "at least 200 lx". */
export function bandWords({ min, max }: Band, measured: Datastream): string {
  if (measured.type === 'boolean' || measured.type === 'choice')
    return showValue(measured, Math.round(min ?? max ?? 0));
  if (min !== null && max !== null)
    return min === max
      ? showReading(measured, min)
      : `${showValue(measured, min)} to ${showReading(measured, max)}`;
  return min !== null
    ? `at least ${showReading(measured, min)}`
    : `at most ${showReading(measured, max ?? 0)}`;
}

/** A wanted value as it is written, as it is kept; undefined where the control does not take it. */
function valueOf(control: Datastream, text: string): number | string | undefined {
  const taken = takeWanted(control, text);
  return isRefusal(taken) ? undefined : (taken.value as number | string);
}
