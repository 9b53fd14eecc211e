import type { AnySchema, SchemaDescription, SchemaFieldDescription } from 'yup';
import { endpoints, type Endpoint } from './endpoints';
import { PROBLEMS, problemType, type ProblemCode } from './problems';

type Json = Record<string, unknown>;

/** Makes the OpenAPI 3.1 description of the whole API from its Yup schemas. */
export function openApiDocument(version: string): Json {
  const paths: Record<string, Json> = {};
  for (const [name, endpoint] of Object.entries(endpoints)) {
    const path = endpoint.path.replace(/:(\w+)/g, '{$1}');
    (paths[path] ??= {})[endpoint.method.toLowerCase()] = operation(name, endpoint as Endpoint);
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Peatmoor', version, description: 'Times are milliseconds since 1970 in UTC.' },
    paths,
    components: {
      securitySchemes: {
        session: { type: 'apiKey', in: 'cookie', name: 'peatmoor_session' },
        accessKey: { type: 'http', scheme: 'bearer' },
      },
      schemas: { Problem: PROBLEM },
    },
  };
}

const PROBLEM = {
  type: 'object',
  required: ['type', 'title', 'status', 'detail'],
  properties: {
    type: { type: 'string', enum: (Object.keys(PROBLEMS) as ProblemCode[]).map(problemType) },
    title: { type: 'string' },
    status: { type: 'integer' },
    detail: { type: 'string' },
    errors: {
      type: 'array',
      items: {
        type: 'object',
        properties: { field: { type: 'string' }, reason: { type: 'string' }, remedy: { type: 'string' } },
      },
    },
  },
};

function operation(name: string, endpoint: Endpoint): Json {
  const inPath = [...endpoint.path.matchAll(/:(\w+)/g)].map(([, param]) => ({
    name: param,
    in: 'path',
    required: true,
    schema: { type: 'string' },
  }));
  const inQuery = endpoint.query === undefined ? [] : queryParameters(endpoint.query);
  const ok =
    endpoint.answer === undefined
      ? { 204: { description: 'Done' } }
      : { 200: { description: 'OK', headers: answerHeaders(endpoint), content: json(endpoint.answer) } };
  return {
    operationId: name,
    summary: endpoint.summary,
    ...(endpoint.access === 'open'
      ? { security: [] }
      : { security: [{ session: [] }, { accessKey: [] }], 'x-least-role': endpoint.access }),
    parameters: [...inPath, ...inQuery, ...inHeaders(endpoint)],
    ...(endpoint.body !== undefined && { requestBody: { required: true, content: json(endpoint.body) } }),
    responses: {
      ...ok,
      default: {
        description: 'A problem',
        content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
      },
    },
  };
}

/** What a call may be sent with beside its body: how it is done once, and to which version. */
function inHeaders({ method, versioned }: Endpoint): Json[] {
  const header = (name: string, description: string): Json => ({
    name,
    in: 'header',
    required: false,
    description,
    schema: { type: 'string' },
  });
  return [
    ...(method === 'POST'
      ? [
          header(
            'Idempotency-Key',
            '16 to 255 letters and digits, new for each call. Sent again with the same key, the call is done once and answered again.',
          ),
        ]
      : []),
    ...(versioned !== undefined && method !== 'GET'
      ? [header('If-Match', 'The ETag of what is changed: 412 where it is no longer the newest.')]
      : []),
  ];
}

function answerHeaders({ method, pages, versioned }: Endpoint): Json {
  const header = (description: string): Json => ({ description, schema: { type: 'string' } });
  return {
    ...(pages !== undefined && {
      Link: header('Address of the next page, with rel="next"; missing at the end.'),
    }),
    ...(versioned !== undefined && method !== 'DELETE' && { ETag: header('The version, for If-Match.') }),
  };
}

const json = (schema: AnySchema): Json => ({ 'application/json': { schema: jsonSchema(schema) } });

function queryParameters(schema: AnySchema): Json[] {
  const described = jsonSchema(schema) as { properties?: Record<string, Json>; required?: string[] };
  return Object.entries(described.properties ?? {}).map(([name, one]) => ({
    name,
    in: 'query',
    required: described.required?.includes(name) ?? false,
    schema: one,
  }));
}

/** A Yup schema as JSON Schema (2020-12), as far as the two speak of the same things. */
export function jsonSchema(schema: AnySchema): Json {
  return fromDescription(schema.describe() as SchemaDescription);
}

function fromDescription(description: SchemaFieldDescription): Json {
  const one = description as SchemaDescription & {
    fields?: Record<string, SchemaFieldDescription>;
    innerType?: SchemaFieldDescription;
  };
  const integer = one.tests?.some((test) => test.name === 'integer');
  const type = one.type === 'mixed' ? undefined : integer ? 'integer' : one.type;
  const result: Json = {};
  if (type !== undefined) result.type = one.nullable ? [type, 'null'] : type;
  if (one.oneOf?.length > 0) result.enum = one.oneOf;
  if (one.default !== undefined && type !== 'object') result.default = one.default;
  const [low, high] =
    { string: ['minLength', 'maxLength'], number: ['minimum', 'maximum'], array: ['minItems', 'maxItems'] }[
      one.type
    ] ?? [];
  for (const test of one.tests ?? []) {
    const params = (test.params ?? {}) as { min?: number; max?: number; regex?: RegExp | string };
    if (test.name === 'min' && low !== undefined) result[low] = params.min;
    if (test.name === 'max' && high !== undefined) result[high] = params.max;
    if (test.name === 'email') result.format = 'email';
    else if (test.name === 'matches') result.pattern = String(params.regex).replace(/^\/|\/\w*$/g, '');
  }
  if (one.fields !== undefined) {
    const fields = Object.entries(one.fields);
    result.properties = Object.fromEntries(fields.map(([name, field]) => [name, fromDescription(field)]));
    const required = fields.filter(
      ([, field]) =>
        !(field as SchemaDescription).optional && (field as SchemaDescription).default === undefined,
    );
    if (required.length > 0) result.required = required.map(([name]) => name);
  }
  if (one.innerType !== undefined) result.items = fromDescription(one.innerType);
  return result;
}
