import { ValidationError, type AnySchema } from 'yup';
import { ProblemError, wrongField } from '../problems';

/** Levels of a body at the most: a dashboard's widgets with their options need six. */
const DEEPEST = 20;
/** Parts of a body at the most. */
const MOST_PARTS = 200_000;
/** Names that every object has: none of ours is called so, and looking one up finds what nobody sent. */
const INHERITED = new Set(Object.getOwnPropertyNames(Object.prototype));

/**
 * The one look at what comes as a body, ahead of every route: its shape first, then its schema. Types must be right already;
 * defaults and trimming are applied. Throws 422 with the fields that are wrong.
 */
export async function checkBody(schema: AnySchema | undefined, body: unknown): Promise<unknown> {
  refuseShape(body);
  if (schema === undefined) return body;
  await schema.validate(schema.isType(body) ? withDefaults(schema, body) : body, {
    abortEarly: false,
    stripUnknown: false,
    strict: true,
  });
  return schema.cast(body, { assert: false });
}

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
  if (schema === undefined) return query;
  return (await schema.validate(query, { abortEarly: false, stripUnknown: false })) as Record<
    string,
    unknown
  >;
}

/** Looks level by level and without recursion. */
function refuseShape(body: unknown): void {
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
      }
    }
    level = next;
  }
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
