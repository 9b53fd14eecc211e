import type { Datastream } from '../readings/types';
import { showUnit } from '../readings/units';
import { cppCodes, type CppCode, type PythonCode } from './ways/index';
import {
  comment,
  exampleValue,
  isPlain,
  literal,
  madeUp,
  pascal,
  type StarterPlan,
  controlled,
  reported,
} from './plan';

/** Functions of sensors and outputs in C++, and what the program has to have for them. */
export interface CppHandlers {
  includes: string[];
  libraries: string[];
  support: string;
  sensors: string;
  outputs: string;
  setup: string;
}

const once = (lists: string[][]): string[] => [...new Set(lists.flat())];

export function cppHandlers(plan: StarterPlan): CppHandlers {
  const codes = cppCodes(plan.streams);
  const made = plan.streams.map((stream, i) => ({ stream, code: codes[i]! }));
  const of = (list: readonly Datastream[]) => made.filter(({ stream }) => list.includes(stream));
  const all = of([...reported(plan), ...controlled(plan)]).flatMap(({ code }) =>
    code === null ? [] : [code],
  );
  // A datastream of both ways tells what it was last made to be.
  const both = plan.streams.filter((stream) => stream.direction === 'both');
  // What stands beside a function is shared where several datastreams come from one part.
  const beside = new Set<string>();
  const ownBeside = (code: CppCode | null): string =>
    (code?.beside ?? [])
      .filter((line) => !beside.has(line) && beside.add(line))
      .map((line) => `${line}\n`)
      .join('');
  return {
    includes: once(all.map(({ includes }) => includes)),
    libraries: once(all.map(({ libraries }) => libraries)),
    support: once(all.map(({ support }) => support)).join('\n'),
    sensors: [
      ...of(both).map(
        ({ stream }) => `${cppType(stream)} has${pascal(stream.key)} = ${cppExample(stream)};\n`,
      ),
      ...of(reported(plan)).map(({ stream, code }) => `${ownBeside(code)}${cppSensor(stream, code)}`),
    ].join('\n'),
    outputs: of(controlled(plan))
      .map(({ stream, code }) => `${ownBeside(code)}${cppOutput(stream, code)}`)
      .join('\n'),
    setup: once(all.map(({ setup }) => setup))
      .map((line) => `  ${line}\n`)
      .join(''),
  };
}

/** Decimals with which a value is printed into JSON. */
export function cppDecimals(stream: Datastream): number {
  return stream.type === 'number' ? (stream.decimals ?? 3) : 0;
}

const cppType = (stream: Datastream): string => (isPlain(stream) ? 'double' : 'String');
const cppExample = (stream: Datastream): string =>
  isPlain(stream) ? exampleValue(stream) : literal(exampleValue(stream));

function cppSensor(stream: Datastream, code: CppCode | null): string {
  const unit = showUnit(stream.unit).replace(/[^\x20-\x7e]/g, '') || 'no unit';
  const lines =
    code?.lines ?? (stream.direction === 'both' ? [`return has${pascal(stream.key)};`] : cppMadeUp(stream));
  return `${cppType(stream)} read${pascal(stream.key)}() {  // ${comment(stream.title)}, ${isPlain(stream) ? unit : stream.type}
${lines.map((line) => `  ${line}`).join('\n')}
}
`;
}

function cppMadeUp(stream: Datastream): string[] {
  const note = '  // made up: replace by what your sensor says';
  if (!isPlain(stream)) return [`return ${cppExample(stream)};${note}`];
  if (stream.type === 'boolean') return [`return millis() / 60000 % 2;${note}`];
  const { middle, spread } = madeUp(stream);
  return stream.type === 'integer'
    ? [`return ${middle} + random(${-spread}, ${spread + 1});${note}`]
    : [`return ${middle} + random(-100, 101) * ${spread / 100};${note}`];
}

function cppOutput(stream: Datastream, code: CppCode | null): string {
  const shown = isPlain(stream) ? 'String(value)' : 'value';
  const printed = `Serial.println(String("${stream.key} -> ") + ${shown});`;
  const lines = code?.lines ?? [`// replace by what your output needs`];
  const keep = stream.direction === 'both' ? [`has${pascal(stream.key)} = value;`] : [];
  return `bool apply${pascal(stream.key)}(${isPlain(stream) ? 'double' : 'const String&'} value) {  // ${comment(stream.title)}
${[printed, ...lines, ...keep, 'return true;'].map((line) => `  ${line}`).join('\n')}
}
`;
}

/** What differs between Python on a board and on a computer. */
export interface PythonDialect {
  codes: (PythonCode | null)[];
  print: (text: string) => string;
  number: (stream: Datastream) => string;
}

/** Functions of sensors and outputs in Python, and what the program has to have for them. */
export interface PythonHandlers {
  imports: string[];
  support: string;
  sensors: string;
  outputs: string;
}

export function pythonHandlers(plan: StarterPlan, { codes, print, number }: PythonDialect): PythonHandlers {
  const made = plan.streams.map((stream, i) => ({ stream, code: codes[i] ?? null }));
  const of = (list: readonly Datastream[]) => made.filter(({ stream }) => list.includes(stream));
  const all = of([...reported(plan), ...controlled(plan)]).flatMap(({ code }) =>
    code === null ? [] : [code],
  );
  const both = plan.streams.filter((stream) => stream.direction === 'both');
  const sensor = ({ stream, code }: (typeof made)[number]): string => {
    const made = isPlain(stream) ? number(stream) : literal(exampleValue(stream));
    return pythonFunction(
      `def read_${stream.key}():  # ${comment(stream.title)}`,
      code ?? {
        beside: [],
        lines: [
          stream.direction === 'both'
            ? `return has["${stream.key}"]`
            : `return ${made}  # made up: replace by what your sensor says`,
        ],
      },
    );
  };
  const output = ({ stream, code }: (typeof made)[number]): string =>
    pythonFunction(`def apply_${stream.key}(value):  # ${comment(stream.title)}`, {
      beside: code?.beside ?? [],
      lines: [
        `${print(`"${stream.key} -> %s" % value`)}${code === null ? '  # replace by what your output needs' : ''}`,
        ...(code?.lines ?? []),
        ...(stream.direction === 'both' ? [`has["${stream.key}"] = value`] : []),
        'return True',
      ],
    });
  return {
    imports: once(all.map(({ imports }) => imports)),
    support: once(all.map(({ support }) => support))
      .map((text) => `\n${text}\n`)
      .join(''),
    sensors: [
      ...(both.length === 0
        ? []
        : [
            `has = {${both.map((stream) => `"${stream.key}": ${isPlain(stream) ? exampleValue(stream) : literal(exampleValue(stream))}`).join(', ')}}  # what each was last made to be\n\n`,
          ]),
      ...of(reported(plan)).map(sensor),
    ].join('\n'),
    outputs: of(controlled(plan)).map(output).join('\n'),
  };
}

/** The text of one function with what stands beside it. */
function pythonFunction(head: string, code: Pick<PythonCode, 'beside' | 'lines'>): string {
  const beside = code.beside.map((line) => `${line}\n`).join('');
  return `${beside}${beside === '' || beside.endsWith('\n\n') ? '' : '\n\n'}${head}
${code.lines.map((line) => `    ${line}`).join('\n')}

`;
}

/** A dictionary of functions by the keys of their datastreams. */
export const pythonTable = (name: string, streams: readonly Datastream[], verb: string): string =>
  `${name} = {${streams.map(({ key }) => `"${key}": ${verb}_${key}`).join(', ')}}`;

/** Lines of a program that takes a wanted value: a number where the datastream is one, else a text. */
export const pythonWanted = (plan: StarterPlan): string =>
  `TEXTS = {${controlled(plan)
    .filter((stream) => !isPlain(stream))
    .map(({ key }) => `"${key}"`)
    .join(', ')}}`;
