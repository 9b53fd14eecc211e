import { showReading } from '../readings/value';
import type { Datastream, Value } from '../readings/types';
import type { SpeakableCondition } from './conditions/words';
import { streamOf, type Spoken } from './conditions/sort';
import { showDuration } from './duration';
import { hoursWords, type ActiveHours } from './hours';

/** One condition, with what it speaks of. */
export interface SpokenCondition {
  condition: SpeakableCondition;
  spoken: Omit<Spoken, 'show'> & { show?: (value: Value) => string };
}

/** What a rule says beside its conditions. */
export interface SpokenRule {
  join: 'all' | 'any';
  holdMs: number;
  closeHoldMs: number;
  hours: ActiveHours | null;
}

const byUnit =
  (stream: Datastream | undefined): ((value: Value) => string) =>
  (value) =>
    stream === undefined ? String(value) : showReading(stream, value);

/** A rule as one sentence, the way it is written and the way an alert repeats it. `show` writes a value with its unit. */
export function ruleSentence(
  conditions: readonly SpokenCondition[],
  { join, holdMs, closeHoldMs, hours }: SpokenRule,
): string {
  const lost = conditions.find(
    ({ condition: { sort }, spoken }) =>
      sort.watches === 'readings' && (sort.looks ?? 'stream') === 'stream' && spoken.stream === undefined,
  );
  if (lost !== undefined) return `The datastream "${lost.spoken.key}" is gone: this rule watches nothing.`;
  const ready = conditions.map(({ condition: { sort, settings }, spoken }) => {
    const all: Spoken = { ...spoken, show: spoken.show ?? byUnit(spoken.stream) };
    return {
      clause: sort.clause(settings, all),
      closes: sort.closes?.(settings, all) ?? 'it is over',
    };
  });
  const when = ready.map(({ clause }) => clause).join(join === 'all' ? ' and ' : ' or ');
  const back =
    ready.length === 1 ? ready[0]!.closes : join === 'all' ? 'one of them is over' : 'all of them are over';
  // What has a time of its own is told apart from how long it lasts.
  const timed = conditions.some(({ condition: { sort } }) => sort.fields.includes('withinMs'));
  const hold = holdMs > 0 ? `${timed ? ', and that lasts' : ' for'} ${showDuration(holdMs)}` : '';
  const close = closeHoldMs > 0 ? `${back} for ${showDuration(closeHoldMs)}` : back;
  const active = hours === null ? '' : `, ${hoursWords(hours)}`;
  return `When ${when}${hold}${active}; closes ${close.startsWith('at ') ? '' : 'when '}${close}.`;
}

/** What stands for a value in the text of a rule. */
export const TEXT_PLACES = ['value', 'device', 'datastream', 'rule', 'severity', 'since'] as const;

/** The text of a rule with its places filled in: "{device}: only {value} left". A place that is not known stays as it is. */
export function fillText(
  text: string,
  values: Readonly<Partial<Record<(typeof TEXT_PLACES)[number], string>>>,
): string {
  return text.replace(/\{(\w+)\}/g, (whole, name: string) => values[name as 'value'] ?? whole);
}

export { streamOf };
