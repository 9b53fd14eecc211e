import type { RunAtMost, WithoutLink } from '../readings/kept';
import { isRefusal } from '../readings/refusals';
import { isControllable, type Datastream } from '../readings/types';
import { wireValue } from '../readings/value';
import { showDuration } from '../rules/duration';
import { shownWish, takeWanted } from './wanted';

/** The wanted name by which a board is told what it keeps by itself; no control begins with an underscore. */
export const KEEP_NAME = '_keep';
/** Letters of what a board keeps at the most. */
export const LONGEST_KEEP = 8000;

export interface WrongKeep {
  /** `runAtMost.value`, `withoutLink.afterS`. */
  field: string;
  reason: string;
  remedy: string;
}

/** What is wrong with what a board keeps of one control; null where nothing is. */
export function checkKeep(
  control: Datastream,
  { runAtMost, withoutLink }: Pick<Datastream, 'runAtMost' | 'withoutLink'>,
): WrongKeep | null {
  if (runAtMost === null && withoutLink === null) return null;
  const field = runAtMost === null ? 'withoutLink' : 'runAtMost';
  if (!isControllable(control))
    return { field, reason: 'is only for what people control', remedy: 'Leave it out.' };
  if (control.type === 'text')
    return { field, reason: 'is not for texts', remedy: 'Leave it out, or make the control a choice.' };
  if (control.holds === 'momentary')
    return {
      field,
      reason: 'is not for a press',
      remedy: 'Leave it out, or let a wanted value hold until another.',
    };
  const values: [string, string][] = [
    ...(runAtMost === null
      ? []
      : ([
          ['runAtMost.value', runAtMost.value],
          ['runAtMost.then', runAtMost.then],
        ] as [string, string][])),
    ...(withoutLink === null ? [] : ([['withoutLink.value', withoutLink.value]] as [string, string][])),
  ];
  for (const [name, value] of values) {
    const taken = takeWanted(control, value);
    if (isRefusal(taken)) return { field: name, reason: `"${value}" is not taken`, remedy: taken.hint };
  }
  if (runAtMost !== null && wireOf(control, runAtMost.value) === wireOf(control, runAtMost.then))
    return {
      field: 'runAtMost.then',
      reason: 'is the value whose time is bounded',
      remedy: 'Say another value, to which it goes then.',
    };
  if (
    runAtMost !== null &&
    withoutLink !== null &&
    wireOf(control, runAtMost.value) === wireOf(control, withoutLink.value)
  )
    return {
      field: 'withoutLink.value',
      reason: 'is the value whose time is bounded',
      remedy: 'Say another value: a board that hears nothing must not stay there for ever.',
    };
  return null;
}

/** A value as people write it, as it goes over the wire; itself where the control does not take it any more. */
export function wireOf(control: Datastream, value: string): string {
  const taken = takeWanted(control, value);
  return isRefusal(taken) ? value : wireValue(control, taken.value as number | string);
}

/** What the board keeps of one control by itself, each on a line as it goes over the wire. */
export function keepLines(control: Datastream): string[] {
  const { key, runAtMost: run, withoutLink: alone } = control;
  if (!isControllable(control)) return [];
  return [
    ...(run === null
      ? []
      : [[key, 'most', run.mostS, wireOf(control, run.value), run.restS, wireOf(control, run.then)]]),
    ...(alone === null ? [] : [[key, 'alone', alone.afterS, wireOf(control, alone.value)]]),
  ].map((fields) => fields.map((field) => String(field).replace(/[\t\n]/g, ' ')).join('\t'));
}

/**
 * What a board keeps by itself: a line for each, fields with tabs between. `<key> most <seconds> <value> <rest, seconds> <then>`, and
 * `<key> alone <seconds> <value>`. Empty for nothing.
 */
export const keepText = (streams: readonly Datastream[]): string => streams.flatMap(keepLines).join('\n');

/** What is known of whether a board keeps what is set: it does, it has said that it keeps something else, or it never said anything. */
export type Keeping = 'kept' | 'not yet' | 'cannot';

/** Whether a board keeps what is set for a control, by what its program said that it keeps; undefined where it never said so. */
export function keepingOf(control: Datastream, said: string | undefined): Keeping {
  if (said === undefined) return 'cannot';
  const lines = said.split('\n').filter((line) => line.startsWith(`${control.key}\t`));
  return lines.join('\n') === keepLines(control).join('\n') ? 'kept' : 'not yet';
}

const time = (seconds: number): string => showDuration(seconds * 1000);

/** "on for 20 min at most, then off; it rests for 10 min". */
export function runSentence(control: Datastream, { value, mostS, then, restS }: RunAtMost): string {
  const rest = restS === 0 ? '' : `; it rests for ${time(restS)}`;
  return `${shownWish(control, value)} for ${time(mostS)} at most, then ${shownWish(control, then)}${rest}`;
}

/** "closed once it has heard nothing for 5 min". */
export function aloneSentence(control: Datastream, { afterS, value }: WithoutLink): string {
  return `${shownWish(control, value)} once it has heard nothing for ${time(afterS)}`;
}

/** What the page of a control says about what its board does by itself. */
export function keepingSentence(keeping: Keeping): string {
  switch (keeping) {
    case 'kept':
      return 'Its board keeps this by itself.';
    case 'not yet':
      return 'Its board has not taken this yet; it keeps what it was told before.';
    case 'cannot':
      return "This board's program cannot do this: it has not said that it keeps it. Start from a program of this page, or see Steer safely.";
  }
}
