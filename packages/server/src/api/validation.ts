import { mixed, ValidationError, type AnySchema, type ArraySchema, type ObjectSchema } from 'yup';
import { ProblemError, wrongField } from '../problems';
import { createTurns } from '../turns';

/** Levels of a body at the most: a dashboard's widgets with their options need six. */
const DEEPEST = 20;
/** Parts of a body at the most. */
const MOST_PARTS = 200_000;
/** A body of more parts than this is looked at piece by piece, and everybody else gets a turn in between. */
const PIECES_ABOVE = 1000;
/** What has fewer parts than this is one piece. */
const PIECE_PARTS = 60;
/** Faults of a large body that are named. */
const MOST_FAULTS = 100;
/** Names that every object has: none of ours is called so, and looking one up finds what nobody sent. */
const INHERITED = new Set(Object.getOwnPropertyNames(Object.prototype));

/**
 * The one look at what comes as a body, ahead of every route: its shape first, then its schema. Types must be right already;
 * defaults and trimming are applied. Throws 422 with the fields that are wrong.
 */
export async function checkBody(schema: AnySchema | undefined, body: unknown): Promise<unknown> {
  const parts = refuseShape(body);
  if (schema === undefined) return body;
  return parts > PIECES_ABOVE ? inPieces(schema, body) : checkPiece(schema, body);
}

async function checkPiece(schema: AnySchema, value: unknown, path?: string): Promise<unknown> {
  const options = { abortEarly: false, stripUnknown: false, strict: true, path };
  await schema.validate(schema.isType(value) ? withDefaults(schema, value) : value, options);
  return schema.cast(value, { assert: false });
}

/**
 * The same look as at a small body, at its objects and the entries of its lists one by one: no body holds up the service
 * for long. Throws the first hundred faults.
 */
async function inPieces(schema: AnySchema, body: unknown): Promise<unknown> {
  const turn = createTurns();
  const faults: ValidationError[] = [];
  const look = async (schema: AnySchema, value: unknown, path: string): Promise<unknown> => {
    await turn();
    try {
      return await checkPiece(schema, value, path === '' ? undefined : path);
    } catch (error) {
      if (!(error instanceof ValidationError)) throw error;
      faults.push(error);
      if (faults.length >= MOST_FAULTS) throw new ValidationError(faults);
      return value;
    }
  };
  const walk = async (schema: AnySchema, value: unknown, path: string): Promise<unknown> => {
    if (isList(schema) && Array.isArray(value) && isNested(schema.innerType)) {
      await look(schema.of(mixed().nullable()), value, path);
      const entries: unknown[] = [];
      for (const [i, one] of value.entries())
        entries.push(await walk(schema.innerType as AnySchema, one, `${path}[${i}]`));
      return entries;
    }
    if (!isObject(schema) || !isNested(value) || Array.isArray(value) || partsOf(value) < PIECE_PARTS)
      return look(schema, value, path);
    // What has pieces of its own is walked through; the rest is one piece, with what holds for all of it.
    const own = new Map(
      Object.entries(schema.fields).flatMap(([name, field]) =>
        isNested((value as Record<string, unknown>)[name]) && (isList(field) || isObject(field))
          ? [[name, field as AnySchema] as const]
          : [],
      ),
    );
    const whole = await look(without(schema, [...own.keys()]), value, path);
    if (!isNested(whole)) return whole;
    const result = { ...whole } as Record<string, unknown>;
    for (const [name, field] of own)
      result[name] = await walk(field, result[name], path === '' ? name : `${path}.${name}`);
    return result;
  };
  const taken = await walk(schema, body, '');
  if (faults.length > 0) throw new ValidationError(faults);
  return taken;
}

const shells = new WeakMap<object, Map<string, AnySchema>>();

/** A schema that says nothing of some of its fields. */
function without(schema: ObjectSchema<object>, names: string[]): AnySchema {
  const known = shells.get(schema) ?? new Map<string, AnySchema>();
  shells.set(schema, known);
  const key = names.join();
  const shell =
    known.get(key) ?? schema.shape(Object.fromEntries(names.map((name) => [name, mixed().nullable()])));
  known.set(key, shell);
  return shell;
}

/** Parts of a value, counted no further than matters. */
function partsOf(value: object): number {
  let parts = 0;
  const waiting: object[] = [value];
  for (let one = waiting.pop(); one !== undefined && parts < PIECE_PARTS; one = waiting.pop())
    for (const inner of Object.values(one) as unknown[]) {
      parts++;
      if (isNested(inner)) waiting.push(inner);
    }
  return parts;
}

const typeOf = (schema: unknown): unknown => (isNested(schema) && 'type' in schema ? schema.type : undefined);
const isList = (schema: unknown): schema is ArraySchema<unknown[], object> => typeOf(schema) === 'array';
const isObject = (schema: unknown): schema is ObjectSchema<object> => typeOf(schema) === 'object';

/** The same for a query, which is text and is read. */
export async function checkQuery(
  schema: AnySchema | undefined,
  query: Record<string, unknown>,
): Promise<Record<string, unknown>> {
  for (const [name, value] of Object.entries(query)) {
    if (INHERITED.has(name)) throw unknown(name);
    if (typeof value !== 'string')
      throw wrongField(name.slice(0, 80), 'came more than once, or not as plain text', 'Name it once.');
  }
  const known = Object.keys((schema as { fields?: object } | undefined)?.fields ?? {});
  const strange = Object.keys(query).find((name) => !known.includes(name));
  if (strange !== undefined)
    throw wrongField(
      strange.slice(0, 80),
      'is not a parameter of this address',
      known.length === 0 ? 'It takes none; leave it out.' : `There are: ${known.join(', ')}.`,
    );
  if (schema === undefined) return query;
  const read = (await schema.validate(query, { abortEarly: false, stripUnknown: false })) as Record<
    string,
    unknown
  >;
  for (const [name, value] of Object.entries(read)) refuseEndless(name, value);
  return read;
}

/** What is greater than any number is read as infinite, in JSON too: no database keeps that. */
function refuseEndless(name: string, value: unknown): void {
  if (value === Infinity || value === -Infinity)
    throw wrongField(name.slice(0, 80), 'is greater than any number that is kept', 'Give a smaller one.');
}

/** Looks level by level and without recursion; gives the number of parts. */
function refuseShape(body: unknown): number {
  let level = isNested(body) ? [body] : [];
  let parts = 0;
  for (let depth = 1; level.length > 0; depth++) {
    if (depth > DEEPEST)
      throw new ProblemError(
        'not-accepted',
        `The body is nested more than ${DEEPEST} levels deep. Lay it flatter.`,
      );
    const next: object[] = [];
    for (const one of level) {
      const isList = Array.isArray(one);
      for (const name in one) {
        if (++parts > MOST_PARTS)
          throw new ProblemError('too-large', 'The body has more parts than are taken. Send less at once.');
        if (!isList && INHERITED.has(name)) throw unknown(name);
        const value = (one as Record<string, unknown>)[name];
        if (isNested(value)) next.push(value);
        else refuseEndless(name, value);
      }
    }
    level = next;
  }
  return parts;
}

const isNested = (value: unknown): value is object => typeof value === 'object' && value !== null;
const unknown = (name: string): ProblemError => wrongField(name, 'is not a field here', 'Leave it out.');

/** Defaults and trimming are applied before the strict look, but no type is turned into another. */
function withDefaults(schema: AnySchema, value: unknown): unknown {
  let cast: unknown;
  try {
    cast = schema.cast(value, { assert: false });
  } catch (error) {
    // A list where a text is expected cannot be trimmed: the strict look says so.
    if (error instanceof ValidationError) throw error;
    return value;
  }
  return keepTypes(value, cast);
}

function keepTypes(before: unknown, after: unknown): unknown {
  if (Array.isArray(before) && Array.isArray(after)) return after.map((one, i) => keepTypes(before[i], one));
  if (isNested(before) && isNested(after))
    return {
      ...before,
      ...Object.fromEntries(
        Object.entries(after).map(([name, one]) => [
          name,
          keepTypes((before as Record<string, unknown>)[name], one),
        ]),
      ),
    };
  return before !== undefined && before !== null && typeof before !== typeof after ? before : after;
}
