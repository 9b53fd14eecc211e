import { showReading } from '../readings/value';
import type { Datastream, Value } from '../readings/types';
import type { Condition } from './condition';

/** A length of time as people say it: "2 min", "1 h 30 min", "at once" for none. */
export function showDuration(ms: number): string {
  if (ms <= 0) return 'at once';
  const seconds = Math.round(ms / 1000);
  const parts: string[] = [];
  const sizes: [number, string][] = [
    [86_400, 'd'],
    [3600, 'h'],
    [60, 'min'],
    [1, 's'],
  ];
  let rest = seconds;
  for (const [size, name] of sizes) {
    const count = Math.floor(rest / size);
    if (count > 0 && parts.length < 2) parts.push(`${count} ${name}`);
    rest -= count * size;
  }
  return parts.join(' ') || `${ms} ms`;
}

/** The sentence of a rule whose event the device itself opens and closes. */
export function raisedSentence(key: string, whom: string): string {
  return `When ${whom} raises "${key}"; closes when it clears it.`;
}

/** The sentence of a rule that watches whether a control was followed. */
export function notConfirmedSentence(control: string, whom: string): string {
  return `When a wanted ${control} of ${whom} is not confirmed; closes when one is.`;
}

/** A rule as one sentence, the way it is written and the way an alert repeats it. `show` writes a value with its unit. */
export function ruleSentence(
  condition: Condition,
  stream: Datastream,
  whom: string,
  show: (value: Value) => string = (value) => showReading(stream, value),
): string {
  const { comparison, limit, holdMs, closeLimit, closeHoldMs } = condition;
  const what =
    stream.type === 'boolean'
      ? `is ${comparison === 'above' ? 'on' : 'off'}`
      : `is ${comparison} ${show(limit)}`;
  const hold = holdMs > 0 ? ` for ${showDuration(holdMs)}` : '';
  const back = stream.type === 'boolean' || closeLimit === null ? 'back' : `back at ${show(closeLimit)}`;
  const close = closeHoldMs > 0 ? `${back} for ${showDuration(closeHoldMs)}` : back;
  return `When ${stream.title} of ${whom} ${what}${hold}; closes when ${close}.`;
}
