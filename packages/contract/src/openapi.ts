import type { AnySchema, SchemaDescription, SchemaFieldDescription } from 'yup';
import { endpointGroups, makesSomething, type Endpoint } from './endpoints';
import { exampleOf } from './openapi/example';
import { DEVICE_SCHEMAS } from './openapi/boards';
import { OTHER_TAGS, otherPaths, TAGS } from './openapi/others';
import { exportQuerySchema } from './schemas/data';
import { PROBLEMS, problemType, type ProblemCode } from './problems';

type Json = Record<string, unknown>;

/** Makes the OpenAPI 3.1 description of all that the service answers, from its schemas; `url` is where it is reached. */
export function openApiDocument(version: string, url = '/'): Json {
  const paths: Record<string, Json> = {};
  for (const [tag, group] of Object.entries(endpointGroups))
    for (const [name, endpoint] of Object.entries(group)) {
      const path = endpoint.path.replace(/:(\w+)/g, '{$1}');
      (paths[path] ??= {})[endpoint.method.toLowerCase()] = operation(name, tag, endpoint as Endpoint);
    }
  for (const [path, methods] of Object.entries(otherPaths(exportQuerySchema)))
    paths[path] = { ...paths[path], ...methods };
  return {
    openapi: '3.1.0',
    info: {
      title: 'Peatmoor',
      version,
      description:
        'A self-hosted home for readings and controls of your own boards. Times are milliseconds since 1970 in UTC.',
      license: { name: 'MIT', url: 'https://spdx.org/licenses/MIT.html' },
      contact: { name: 'Whoever runs this service', url },
    },
    servers: [{ url, description: 'This service' }],
    tags: [...Object.keys(endpointGroups), ...OTHER_TAGS].map((name) => ({ name, description: TAGS[name] })),
    paths,
    components: {
      securitySchemes: {
        session: { type: 'apiKey', in: 'cookie', name: 'peatmoor_session' },
        accessKey: { type: 'http', scheme: 'bearer', description: 'An access key, key_…' },
        deviceToken: { type: 'http', scheme: 'bearer', description: 'A device token, moor…' },
      },
      schemas: { Problem: PROBLEM, ...DEVICE_SCHEMAS },
      responses: Object.fromEntries(
        STATUSES.map((status) => [
          `Problem${status}`,
          {
            description: Object.values(PROBLEMS)
              .filter((one) => one.status === status)
              .map(({ title, meaning }) => `${title}: ${meaning}`)
              .join(' '),
            content: {
              'application/problem+json': {
                schema: { $ref: '#/components/schemas/Problem' },
                example: exampleProblem(status),
              },
            },
          },
        ]),
      ),
    },
  };
}

const STATUSES = [...new Set(Object.values(PROBLEMS).map(({ status }) => status))].sort((a, b) => a - b);

function exampleProblem(status: number): Json {
  const [code, { title, meaning, remedy }] = (
    Object.entries(PROBLEMS) as [ProblemCode, (typeof PROBLEMS)[ProblemCode]][]
  ).find(([, one]) => one.status === status)!;
  return { type: problemType(code), title, status, detail: `${meaning} ${remedy}` };
}

/** Statuses that a call may answer with, by what it is. */
function problemsOf({ method, access, path, versioned }: Endpoint): number[] {
  const changes = method !== 'GET';
  return STATUSES.filter((status) => {
    if (status === 401 || status === 403) return access !== 'open' || /session|account|link|reset/.test(path);
    if (status === 404) return path.includes(':');
    if (status === 412 || status === 428) return versioned !== undefined && changes;
    if (status === 400 || status === 413 || status === 415) return changes;
    if (status === 409) return changes;
    return true;
  });
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

function operation(name: string, tag: string, endpoint: Endpoint): Json {
  const inPath = [...endpoint.path.matchAll(/:(\w+)/g)].map(([, param]) => ({
    name: param,
    in: 'path',
    required: true,
    description: `Which ${param}`,
    schema: { type: 'string' },
  }));
  const inQuery = endpoint.query === undefined ? [] : queryParameters(endpoint.query);
  const makes = makesSomething(name, endpoint);
  const ok =
    endpoint.answer === undefined
      ? { 204: { description: 'Done' } }
      : {
          [makes ? 201 : 200]: {
            description: makes ? 'Made' : 'OK',
            headers: {
              ...answerHeaders(endpoint),
              ...(makes && {
                Location: {
                  description: 'Where it can be asked for, where it has an address of its own.',
                  schema: { type: 'string' },
                },
              }),
            },
            content: json(endpoint.answer),
          },
        };
  return {
    operationId: name,
    tags: [tag],
    summary: endpoint.summary,
    description: `${endpoint.summary}. ${endpoint.access === 'open' ? 'Anybody may call it.' : 'Who may call it is told by x-least-role.'}`,
    ...(endpoint.access === 'open'
      ? { security: [] }
      : { security: [{ session: [] }, { accessKey: [] }], 'x-least-role': endpoint.access }),
    parameters: [...inPath, ...inQuery, ...inHeaders(endpoint)],
    ...(endpoint.body !== undefined && { requestBody: { required: true, content: json(endpoint.body) } }),
    responses: {
      ...ok,
      ...Object.fromEntries(
        problemsOf(endpoint).map((status) => [status, { $ref: `#/components/responses/Problem${status}` }]),
      ),
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

function json(schema: AnySchema): Json {
  const described = jsonSchema(schema);
  return { 'application/json': { schema: described, example: exampleOf(described) } };
}

const QUERY_WORDS: Record<string, string> = {
  limit: 'How many at the most',
  after: 'What comes after this place; taken from the Link header',
  from: 'From this time on, milliseconds since 1970',
  to: 'Up to this time, milliseconds since 1970',
  streams: 'Keys of datastreams, with commas between',
  buckets: 'Parts into which the time is divided; 0 for every reading',
  zone: 'Time zone, such as Europe/Dublin',
};

function queryParameters(schema: AnySchema): Json[] {
  const described = jsonSchema(schema) as { properties?: Record<string, Json>; required?: string[] };
  return Object.entries(described.properties ?? {}).map(([name, one]) => ({
    name,
    in: 'query',
    required: described.required?.includes(name) ?? false,
    description: QUERY_WORDS[name] ?? `By ${name}`,
    schema: one,
  }));
}

const JSON_TYPES = new Set(['array', 'boolean', 'integer', 'number', 'object', 'string']);

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
  // What is one of several sorts says nothing of its type.
  if (type !== undefined && JSON_TYPES.has(type)) result.type = one.nullable ? [type, 'null'] : type;
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
