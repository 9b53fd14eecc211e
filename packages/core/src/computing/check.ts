import { isZone } from '../history/calendar';
import { foldName } from '../readings/names';
import { isScalar, type Datastream } from '../readings/types';
import type { Computing } from './compute';
import { compileFormula, isFormulaError } from './formula';

type Stream = Pick<Datastream, 'key' | 'type' | 'aliases' | 'choices' | 'computation'>;

/** What is wrong with a computation: the part of it, and why. */
export interface ComputationError {
  field: 'formula' | 'of' | 'zone' | 'type' | 'restarts';
  reason: string;
  remedy: string;
}

/** Checks a computed datastream against its kind, and makes it ready. `streams` are all of the kind, itself too. */
export function checkComputation(stream: Stream, streams: readonly Stream[]): Computing | ComputationError {
  const { computation, type } = stream;
  if (computation === null) throw new TypeError(`${stream.key} is not computed`);
  if (!['number', 'integer', 'boolean'].includes(type))
    return wrong(
      'type',
      `is ${type}, but what is computed is a number, an integer or a boolean`,
      'Choose one of those.',
    );
  const others = streams.filter(({ key }) => key !== stream.key);
  const found = computation.form === 'formula' ? null : inputOf(computation.of, others);
  let computing: Computing;
  if (computation.form === 'formula') {
    const formula = compileFormula(computation.formula, others);
    if (isFormulaError(formula))
      return wrong(
        'formula',
        ` at character ${formula.position}: ${formula.message}`,
        'Correct the formula.',
      );
    computing = { computation, type, inputs: formula.inputs, formula };
  } else {
    if (found === null || found === undefined)
      return wrong(
        'of',
        `: no other datastream of the kind is called "${computation.of}"`,
        'Choose one of its keys.',
      );
    if (!isScalar(found) && !(found.type === 'boolean' && computation.form !== 'rate'))
      return wrong(
        'of',
        `: "${found.key}" is of type ${found.type}, which cannot be added up`,
        'Choose a number.',
      );
    if ('zone' in computation && !isZone(computation.zone))
      return wrong(
        'zone',
        `: "${computation.zone}" is not a time zone`,
        'Use one such as Europe/Dublin, or UTC.',
      );
    if (computation.form === 'sum' && computation.restarts === 'never')
      return wrong(
        'restarts',
        ' must be hour or day for a sum',
        'For all there ever was, take a counter or an integral.',
      );
    computing = { computation, type, inputs: [found.key], formula: null };
  }
  const circle = circleFrom(stream.key, computing.inputs, streams);
  return circle === null
    ? computing
    : wrong(
        computation.form === 'formula' ? 'formula' : 'of',
        ` goes in a circle: ${circle.join(' ← ')}`,
        'Compute it from datastreams that do not depend on it.',
      );
}

/** True for what checkComputation gives when something is wrong. */
export function isComputationError(outcome: Computing | ComputationError): outcome is ComputationError {
  return 'reason' in outcome;
}

/** The computed datastreams of a kind that can be worked out, each with what it reads. */
export function computingsOf<S extends Stream>(streams: readonly S[]): { stream: S; computing: Computing }[] {
  return streams.flatMap((stream) => {
    if (stream.computation === null) return [];
    const computing = checkComputation(stream, streams);
    return isComputationError(computing) ? [] : [{ stream, computing }];
  });
}

/** The datastream that a computation names by key or alias. */
function inputOf(name: string, streams: readonly Stream[]): Stream | undefined {
  const folded = foldName(name);
  return streams.find(({ key }) => key === folded) ?? streams.find(({ aliases }) => aliases.includes(folded));
}

/** The way by which a datastream would be computed from itself, or null. */
function circleFrom(key: string, inputs: readonly string[], streams: readonly Stream[]): string[] | null {
  const seen = new Set<string>();
  const walk = (one: string, way: string[]): string[] | null => {
    if (one === key) return [...way, one];
    if (seen.has(one)) return null;
    seen.add(one);
    const stream = streams.find((other) => other.key === one);
    if (!stream?.computation) return null;
    for (const next of namesIn(stream, streams)) {
      const circle = walk(next, [...way, one]);
      if (circle !== null) return circle;
    }
    return null;
  };
  for (const input of inputs) {
    const circle = walk(input, [key]);
    if (circle !== null) return circle;
  }
  return null;
}

function namesIn(stream: Stream, streams: readonly Stream[]): string[] {
  const { computation } = stream;
  if (computation === null) return [];
  if (computation.form !== 'formula') {
    const input = inputOf(computation.of, streams);
    return input === undefined ? [] : [input.key];
  }
  const formula = compileFormula(computation.formula, streams);
  return isFormulaError(formula) ? [] : formula.inputs;
}

function wrong(field: ComputationError['field'], reason: string, remedy: string): ComputationError {
  return { field, reason, remedy };
}
