import { nearestWord } from '@peatmoor/core';
import { isMap, LineCounter, parseDocument, stringify, type Document } from 'yaml';
import { ValidationError, type AnySchema } from 'yup';
import { fieldProblems } from './problem';
import { workspaceFileSchema, type WorkspaceDocument } from './schemas/workspaceFile';

/** Something that is wrong in a file, and where: line and column from 1. */
export interface FileProblem {
  line: number;
  column: number;
  message: string;
}
/** A file that cannot be used; its message has a line for each problem. */
export class FileError extends Error {
  readonly problems: FileProblem[];
  constructor(problems: FileProblem[]) {
    super(
      problems.map(({ line, column, message }) => `line ${line}, column ${column}: ${message}`).join('\n'),
    );
    this.name = 'FileError';
    this.problems = problems;
  }
}

/** Letters of a file at the most. */
const MOST_LETTERS = 1_000_000;
const MOST_PROBLEMS = 20;

/** What stands above each part of a file. */
const REMARKS: Record<string, string> = {
  kinds:
    ' What devices of one sort have in common. A name may stand once; fields that are as usual are left out.',
  needs:
    ' Secrets that are not in the file. Complete them below before you apply the file to another workspace.',
  webhooks:
    ' Addresses end with the host: what is behind it is a secret. Where the webhook is there already, its address stays.',
  devices: ' Tokens are not in the file: a new device gets one, told when the file is applied.',
  dashboards: ' A source without a device shows the device that is chosen.',
  rules: ' People are named by their email, or by the name they sign in with.',
  timetables: ' Set times at which a control is wanted.',
  grants: ' What people without the role for it may see or steer.',
  links: ' Secrets are not in the file: a new link gets a new address.',
};
const HEAD = ` The definitions of a workspace, without readings and without secrets.
 peatmoor workspace plan FILE says what applying it would do; peatmoor workspace apply FILE does it, all or nothing.
 A part that is left out is not touched. Nothing is deleted without --delete.`;

/** A workspace file as text (YAML 1.2): stable, so that two versions differ only where the workspace does. */
export function writeWorkspaceText(document: WorkspaceDocument): string {
  const whole = sparse(workspaceFileSchema, document) as Record<string, unknown>;
  const parts = Object.entries(whole)
    .filter(([name]) => name !== 'peatmoor')
    .map(([name, part]) => {
      const remark = REMARKS[name] === undefined ? '' : `#${REMARKS[name]}\n`;
      return `${remark}${stringify({ [name]: part }, { lineWidth: 0, aliasDuplicateObjects: false })}`;
    });
  const head = HEAD.split('\n')
    .map((line) => `#${line}`)
    .join('\n');
  return `${head}\npeatmoor: ${document.peatmoor}\n\n${parts.join('\n')}`;
}

/** Without what is as usual, in the order of the schema. */
function sparse(schema: AnySchema, value: unknown): unknown {
  const { fields, innerType } = schema as { fields?: Record<string, AnySchema>; innerType?: AnySchema };
  if (Array.isArray(value))
    return value.map((one) => (innerType === undefined ? one : sparse(innerType, one)));
  if (typeof value !== 'object' || value === null || fields === undefined) return value;
  const given = value as Record<string, unknown>;
  return Object.fromEntries(
    Object.entries(fields).flatMap(([name, field]) => {
      const one = given[name];
      const usual = 'getDefault' in field ? (field.getDefault() as unknown) : undefined;
      // What has no usual value is said, even where it is nothing.
      if (one === undefined || (usual !== undefined && same(one, usual))) return [];
      return [[name, sparse(field, one)]];
    }),
  );
}

const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);

/** Reads a workspace file. Throws FileError with every problem at its line and column, and the nearest right word. */
export function readWorkspaceText(text: string): WorkspaceDocument {
  if (text.length > MOST_LETTERS)
    throw new FileError([
      {
        line: 1,
        column: 1,
        message: 'the file is larger than 1 MB. Divide it: each part can be applied by itself.',
      },
    ]);
  const lines = new LineCounter();
  let parsed: Document;
  let content: unknown;
  try {
    parsed = parseDocument(text, { lineCounter: lines, prettyErrors: false });
    content = parsed.errors.length > 0 ? null : parsed.toJS({ maxAliasCount: 20 });
  } catch (error) {
    throw new FileError([
      { line: 1, column: 1, message: `cannot be read: ${(error as Error).message.slice(0, 200)}` },
    ]);
  }
  const at = (offset: number): { line: number; column: number } => {
    const { line, col } = lines.linePos(offset);
    return { line: Math.max(1, line), column: Math.max(1, col) };
  };
  if (parsed.errors.some(({ message }) => message.includes('call stack')))
    throw new FileError([{ line: 1, column: 1, message: 'is nested too deep to be a workspace file.' }]);
  if (parsed.errors.length > 0)
    throw new FileError(
      parsed.errors.slice(0, MOST_PROBLEMS).map((error) => ({
        ...at(error.pos[0]),
        message: `${error.message.split('\n')[0]!.replace(/\.$/, '')}.`,
      })),
    );
  if (typeof content !== 'object' || content === null || Array.isArray(content))
    throw new FileError([
      { line: 1, column: 1, message: 'is not a workspace file: it begins with "peatmoor: 1".' },
    ]);
  const problems = [
    ...unknownFields(workspaceFileSchema, content, [], (path) => at(keyOffset(parsed, path))),
    ...wrongFields(content, (path) => at(offsetOf(parsed, path))),
  ];
  if (problems.length > 0) throw new FileError(problems.slice(0, MOST_PROBLEMS));
  return workspaceFileSchema.cast(content, { assert: false }) as WorkspaceDocument;
}

/** Where the fields stand that a problem of the service names, in a file as it was sent. */
export function placeInText(text: string, field: string): { line: number; column: number } {
  const lines = new LineCounter();
  const { line, col } = (() => {
    const parsed = parseDocument(text, { lineCounter: lines });
    return lines.linePos(offsetOf(parsed, pathOf(field.replace(/^document\.?/, ''))));
  })();
  return { line: Math.max(1, line), column: Math.max(1, col) };
}

type Path = (string | number)[];

/** The steps of "kinds[0].streams[2].max". */
function pathOf(field: string): Path {
  return [...field.matchAll(/([^.[\]"]+)|\[(\d+)\]/g)].map(([, name, index]) =>
    index === undefined ? name! : Number(index),
  );
}

/** Where a value begins; of one that is not there the nearest thing around it. */
function offsetOf(document: Document, path: Path): number {
  for (let length = path.length; length >= 0; length--) {
    const node = length === 0 ? document.contents : document.getIn(path.slice(0, length), true);
    const range = (node as { range?: [number, number, number] } | undefined)?.range;
    if (range !== undefined) return range[0];
  }
  return 0;
}

/** Where the name of a field stands. */
function keyOffset(document: Document, path: Path): number {
  const around = path.length === 1 ? document.contents : document.getIn(path.slice(0, -1), true);
  if (isMap(around))
    for (const { key } of around.items) {
      const { value, range } = key as { value?: unknown; range?: [number, number, number] };
      if (String(value) === String(path.at(-1)) && range !== undefined) return range[0];
    }
  return offsetOf(document, path);
}

/** Fields that the file does not know, each with the nearest that it does. */
function unknownFields(
  schema: AnySchema,
  value: unknown,
  path: Path,
  at: (path: Path) => { line: number; column: number },
): FileProblem[] {
  const { fields, innerType } = schema as { fields?: Record<string, AnySchema>; innerType?: AnySchema };
  if (Array.isArray(value))
    return innerType === undefined
      ? []
      : value.flatMap((one, i) => unknownFields(innerType, one, [...path, i], at));
  if (typeof value !== 'object' || value === null || fields === undefined) return [];
  const known = Object.keys(fields);
  // What a computation or an area may hold depends on its form: the look at the whole says so.
  return Object.entries(value).flatMap(([name, one]): FileProblem[] => {
    if (known.length > 0 && !known.includes(name)) {
      const nearest = nearestWord(name, known);
      return [
        {
          ...at([...path, name]),
          message: `"${name}" is not a field here; ${nearest === undefined ? `there are: ${known.join(', ')}` : `perhaps "${nearest}"`}.`,
        },
      ];
    }
    return unknownFields(fields[name]!, one, [...path, name], at);
  });
}

/** Everything else that is wrong. */
function wrongFields(content: unknown, at: (path: Path) => { line: number; column: number }): FileProblem[] {
  try {
    workspaceFileSchema.validateSync(workspaceFileSchema.cast(content, { assert: false }), {
      abortEarly: false,
      strict: true,
    });
    return [];
  } catch (error) {
    if (!(error instanceof ValidationError)) throw error;
    const said = new Set<string>();
    return fieldProblems(error).flatMap(({ field, reason, remedy }, i) => {
      const part = error.inner[i] ?? error;
      // Of several things wrong with one field the first is enough.
      if (part.type === 'noUnknown' || said.has(field)) return [];
      said.add(field);
      const values = (part.params as { values?: unknown; resolved?: unknown[] } | undefined)?.resolved;
      const given = (part.params as { value?: unknown } | undefined)?.value;
      const nearest =
        part.type === 'oneOf' && typeof given === 'string' && Array.isArray(values)
          ? nearestWord(given, values.map(String))
          : undefined;
      const name = field === '' ? 'the file' : field;
      return [
        {
          ...at(pathOf(field)),
          message: `${name} ${reason}${nearest === undefined ? `. ${remedy}` : `; perhaps "${nearest}".`}`,
        },
      ];
    });
  }
}
