import { Environment, type ASTNode } from '@marcbachmann/cel-js';
import editDistance from 'damerau-levenshtein';
import type { Datastream } from '../readings/types';

export const LONGEST_FORMULA = 500;

/** What a formula may read. */
export type FormulaInput = Pick<Datastream, 'key' | 'type' | 'aliases' | 'choices'>;

/** A formula that was checked and can be worked out. */
export interface Formula {
  /** Keys of the datastreams it reads. */
  inputs: string[];
  /** Its value, with the inputs as they are kept, by key; null where it has none (division by zero, say). */
  evaluate(values: Readonly<Record<string, number>>): number | null;
}

/** What is wrong with a formula, and where: the place of a letter, counted from 1. */
export interface FormulaError {
  message: string;
  position: number;
}

/** Functions that a formula may use beside those of CEL. All take and give numbers. */
export const FORMULA_FUNCTIONS: Readonly<Record<string, (...values: number[]) => number>> = {
  abs: Math.abs,
  sqrt: Math.sqrt,
  exp: Math.exp,
  ln: Math.log,
  log10: Math.log10,
  pow: Math.pow,
  min: Math.min,
  max: Math.max,
  round: Math.round,
  floor: Math.floor,
  ceil: Math.ceil,
  sin: Math.sin,
  cos: Math.cos,
  atan2: Math.atan2,
};
/** Parts (names, numbers, operators) of a formula at the most: what bounds the work of one evaluation. */
const MOST_PARTS = 200;
/**
 * What of CEL may be called beside these. No regular expressions, and no macros over lists: both can take longer than
 * anybody waits, for a formula of a few letters.
 */
const CEL_FUNCTIONS = new Set([
  'double',
  'int',
  'bool',
  'string',
  'size',
  'contains',
  'startsWith',
  'endsWith',
]);
const TWO_VALUES = new Set(['pow', 'min', 'max', 'atan2']);

/**
 * Checks a CEL formula against the datastreams it may read, and makes it ready. Numbers and integers are CEL doubles,
 * booleans bool, choices the text. A whole number in the formula is read as a double, so that 6 / 4 is 1.5 and no
 * maker need write `level * 2.0`. (Common Expression Language specification, cel.dev)
 */
export function compileFormula(formula: string, inputs: readonly FormulaInput[]): Formula | FormulaError {
  if (formula.trim() === '') return { message: 'The formula is empty.', position: 1 };
  if (formula.length > LONGEST_FORMULA)
    return { message: `A formula has ${LONGEST_FORMULA} letters at most.`, position: LONGEST_FORMULA + 1 };
  const readable = readableNames(inputs);
  const { text, placeOf } = asCel(formula, readable);
  const fail = (error: unknown): FormulaError => toError(error, placeOf, [...readable.keys()]);
  try {
    const program = environmentOf(readable).parse(text);
    const forbidden = forbiddenCall(program.ast);
    if (forbidden !== null)
      return {
        message: `"${forbidden}" cannot be used in a formula. It may use ${[...Object.keys(FORMULA_FUNCTIONS), ...CEL_FUNCTIONS].join(', ')}.`,
        position: Math.max(0, formula.indexOf(forbidden)) + 1,
      };
    const checked = program.check();
    if (!checked.valid) return fail(checked.error);
    if (!['double', 'int', 'bool', 'dyn'].includes(checked.type ?? ''))
      return {
        message: `The formula gives ${checked.type}, not a number or true/false.`,
        position: 1,
      };
    const used = new Map<string, FormulaInput>();
    for (const variable of identifiers(program.ast)) {
      const name = variable.slice(1);
      const input = variable.startsWith('_') ? readable.get(name) : undefined;
      if (input !== undefined) used.set(name, input);
    }
    if (used.size === 0)
      return { message: 'The formula reads no datastream; name at least one by its key.', position: 1 };
    return {
      inputs: [...new Set([...used.values()].map(({ key }) => key))],
      evaluate(values) {
        const context: Record<string, unknown> = {};
        for (const [name, input] of used) context[`_${name}`] = toCel(input, values[input.key]!);
        try {
          return toNumber(program(context));
        } catch {
          // Nothing that a formula meets at work is worth a stop: it has no value there.
          return null;
        }
      },
    };
  } catch (error) {
    return fail(error);
  }
}

/** True for what compileFormula gives when something is wrong. */
export function isFormulaError(outcome: Formula | FormulaError): outcome is FormulaError {
  return 'position' in outcome;
}

/** Names by which a formula can read datastreams: keys, and aliases where no key is called so. */
function readableNames(inputs: readonly FormulaInput[]): Map<string, FormulaInput> {
  const names = new Map<string, FormulaInput>();
  for (const input of inputs)
    for (const alias of input.aliases) if (/^[a-z_][a-z0-9_]*$/.test(alias)) names.set(alias, input);
  for (const input of inputs) names.set(input.key, input);
  for (const [name, { type }] of names)
    if (type === 'text' || type === 'location' || type === 'image' || type === 'colour') names.delete(name);
  return names;
}

function environmentOf(readable: ReadonlyMap<string, FormulaInput>): Environment {
  const environment = new Environment({ limits: { maxAstNodes: MOST_PARTS, maxDepth: 60 } });
  for (const [name, { type }] of readable)
    environment.registerVariable(
      `_${name}`,
      type === 'boolean' ? 'bool' : type === 'choice' ? 'string' : 'double',
    );
  environment.registerOperator('double % double', (a: number, b: number) => a % b);
  for (const [name, work] of Object.entries(FORMULA_FUNCTIONS))
    environment.registerFunction(
      `${name}(${TWO_VALUES.has(name) ? 'double, double' : 'double'}): double`,
      work,
    );
  return environment;
}

/**
 * Writes whole numbers as doubles, and keys with a stroke before them, so that one may be called like a word of CEL itself
 * ("duration", "in"). Texts stay as they are; `placeOf` leads back to the places of the formula.
 */
function asCel(
  formula: string,
  readable: ReadonlyMap<string, FormulaInput>,
): { text: string; placeOf: (place: number) => number } {
  const added: { at: number; letters: number }[] = [];
  let text = '';
  const add = (more: string): void => {
    added.push({ at: text.length, letters: more.length });
    text += more;
  };
  const token =
    /"(?:[^"\\]|\\.)*"?|'(?:[^'\\]|\\.)*'?|[A-Za-z_]\w*|\d+\.\d+(?:[eE][+-]?\d+)?|\d+[eE][+-]?\d+|\d+|[^]/g;
  for (const { 0: part, index } of formula.matchAll(token)) {
    const called = /^\s*\(/.test(formula.slice(index + part.length));
    if (readable.has(part) && !called && !/\.\s*$/.test(formula.slice(0, index))) add('_');
    text += part;
    if (/^\d+$/.test(part)) add('.0');
  }
  const placeOf = (place: number): number =>
    place - added.reduce((sum, { at, letters }) => sum + (at < place ? letters : 0), 0);
  return { text, placeOf };
}

function toError(error: unknown, placeOf: (place: number) => number, known: readonly string[]): FormulaError {
  const { message = '', node } = error as { message?: string; node?: { pos?: number } };
  const first = message.split('\n')[0]!.replace(/\.$/, '');
  const position = placeOf(node?.pos ?? 0) + 1;
  if (/maxAstNodes|maxDepth/.test(first))
    return { message: `A formula has ${MOST_PARTS} names, numbers and operators at most.`, position: 1 };
  const unknown = /^Unknown variable: (\w+)/.exec(first)?.[1];
  if (unknown === undefined)
    return { message: `${first[0]?.toUpperCase() ?? ''}${first.slice(1)}.`, position };
  const near = known.filter((name) => editDistance(name, unknown.toLowerCase()).steps <= 2);
  const hint =
    near.length > 0
      ? `The nearest is "${near[0]}".`
      : known.length > 0
        ? `It may read: ${known.slice(0, 12).join(', ')}.`
        : 'The kind has no other datastream that a formula can read.';
  return { message: `No datastream is called "${unknown}". ${hint}`, position };
}

function identifiers(node: ASTNode): Set<string> {
  const names = new Set<string>();
  const walk = (one: unknown): void => {
    if (Array.isArray(one)) one.forEach(walk);
    else if (one !== null && typeof one === 'object' && 'op' in one) {
      const { op, args } = one as { op: string; args: unknown };
      if (op === 'id') names.add(args as string);
      else walk(args);
    }
  };
  walk(node);
  return names;
}

/** The first call of something that formulas may not use, or null. */
function forbiddenCall(node: ASTNode): string | null {
  const open: unknown[] = [node];
  while (open.length > 0) {
    const one = open.pop();
    if (Array.isArray(one)) open.push(...(one as unknown[]));
    else if (one !== null && typeof one === 'object' && 'op' in one) {
      const { op, args } = one as { op: string; args: unknown };
      if (op === 'call' || op === 'rcall') {
        const [name] = args as [string];
        if (!CEL_FUNCTIONS.has(name) && !Object.hasOwn(FORMULA_FUNCTIONS, name)) return name;
      }
      if (typeof args === 'object') open.push(args);
    }
  }
  return null;
}

function toCel(input: FormulaInput, value: number): unknown {
  if (input.type === 'boolean') return value !== 0;
  if (input.type === 'choice') return input.choices[value] ?? '';
  return value;
}

function toNumber(result: unknown): number | null {
  if (typeof result === 'boolean') return result ? 1 : 0;
  const number = typeof result === 'bigint' ? Number(result) : result;
  return typeof number === 'number' && Number.isFinite(number) ? number : null;
}
