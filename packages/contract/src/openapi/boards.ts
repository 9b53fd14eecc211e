type Json = Record<string, unknown>;

const refusal = {
  type: 'object',
  required: ['name', 'reason', 'hint'],
  properties: { name: { type: 'string' }, reason: { type: 'string' }, hint: { type: 'string' } },
};
/** What boards are answered. */
export const DEVICE_SCHEMAS = {
  Refusal: refusal,
  ReportAnswer: {
    type: 'object',
    required: ['accepted', 'refused'],
    properties: {
      accepted: { type: 'integer', description: 'Values that were kept' },
      refused: { type: 'array', items: { $ref: '#/components/schemas/Refusal' } },
      refusedCount: { type: 'integer', description: 'How many were refused, where more than are told' },
    },
  },
};

const answer = (description: string, example: unknown): Json => ({
  description,
  content: { 'application/json': { schema: { $ref: '#/components/schemas/ReportAnswer' }, example } },
});
const refusing = (description: string, reason: string, hint: string, name = ''): Json =>
  answer(description, { accepted: 0, refused: [{ name, reason, hint }] });
const PROBLEMS = {
  400: refusing('Unreadable', 'unreadable', 'The text is not whole JSON.'),
  401: refusing('The token is not right', 'bad-token', 'The token is mistyped.'),
  405: refusing(
    'Another method; see Allow',
    'wrong-topic',
    'There is no PUT /device/report; there is GET, POST.',
  ),
  413: refusing('Too large', 'too-large', 'Send less at once.'),
  415: refusing('A type that is not taken', 'no-meaning', 'Send JSON.'),
  422: refusing(
    'Nothing was accepted',
    'unknown-name',
    'No datastream is called "levl"; the nearest is "level".',
    'levl',
  ),
  429: refusing('Too often; see Retry-After', 'too-often', 'Send less often.'),
  503: refusing('Nothing can be kept just now; see Retry-After', 'too-often', 'Send it again.'),
};
const SPEAKS_FOR = {
  name: 'for',
  in: 'query',
  required: false,
  description: 'The sub-device that is spoken for, by its ID or serial text',
  schema: { type: 'string' },
};
const HAS = { in: 'query', required: true, schema: { type: 'string' } };
export const values = (example: unknown): Json => ({
  schema: { type: 'object', additionalProperties: true },
  example,
});
export const list = { schema: { type: 'array', items: { type: 'object' } }, example: [] };
export const text = { schema: { type: 'string' } };

function board(operationId: string, summary: string, more: Json, parameters: Json[] = [SPEAKS_FOR]): Json {
  return {
    operationId,
    tags: ['board'],
    summary,
    description: `${summary}. With the token of the device.`,
    security: [{ deviceToken: [] }],
    parameters,
    responses: { 200: answer('Taken', { accepted: 1, refused: [] }), ...PROBLEMS },
    ...more,
  };
}

const key = {
  name: 'key',
  in: 'path',
  required: true,
  description: 'Key of the event rule',
  schema: { type: 'string' },
};

/** What boards call, with their device token. */
export function boardPaths(): Record<string, Json> {
  const event = (verb: 'raise' | 'clear'): Json => ({
    post: board(
      `${verb}Event`,
      `${verb === 'raise' ? 'Open' : 'Close'} an event of the device's own`,
      {
        requestBody: {
          required: false,
          content: { 'text/plain': { ...text, example: 'the gate is stuck' } },
        },
      },
      [key, SPEAKS_FOR],
    ),
  });
  return {
    '/device/report': {
      post: board(
        'report',
        'Report readings; good values are kept though a neighbour is bad',
        {
          requestBody: {
            required: true,
            content: {
              'application/json': values({ water_level: -121, battery: 3.9 }),
              'application/senml+json': {
                schema: { type: 'array', items: { type: 'object' } },
                example: [{ n: 'water_level', u: 'mm', v: -121 }],
              },
              'application/senml+cbor': text,
              'text/csv': { ...text, example: 'at,water_level\n2026-05-01T12:00:00Z,-121\n' },
              'application/x-www-form-urlencoded': values({ water_level: '-121' }),
              'image/jpeg': text,
              'image/png': text,
              'image/webp': text,
            },
          },
        },
        [
          SPEAKS_FOR,
          {
            name: 'name',
            in: 'query',
            required: false,
            description: 'The datastream of an image',
            schema: { type: 'string' },
          },
        ],
      ),
      get: board(
        'reportByAddress',
        'Report by fetching an address, for firmware that can do nothing else',
        {},
        [
          {
            name: 'access_token',
            in: 'query',
            required: false,
            description: 'The device token (RFC 6750)',
            schema: { type: 'string' },
          },
          {
            name: 'values',
            in: 'query',
            required: false,
            style: 'form',
            explode: true,
            description: 'Names and values',
            schema: { type: 'object', additionalProperties: { type: 'string' } },
          },
        ],
      ),
    },
    '/device/wanted': {
      get: board(
        'wanted',
        'What is wanted of the device, at once or when there is something newer',
        {
          responses: {
            200: {
              description:
                'Names and values, and `interval`; with `n`, also the number of the state, `_until`, and `_keep`: what the board keeps by itself',
              content: { 'application/json': values({ gate: 1, interval: 30, n: 17 }) },
            },
            400: PROBLEMS[400],
            401: PROBLEMS[401],
            429: PROBLEMS[429],
          },
        },
        [
          SPEAKS_FOR,
          {
            name: 'wait',
            in: 'query',
            required: false,
            description: 'Seconds to wait for something newer, 60 at most',
            schema: { type: 'number', maximum: 60 },
          },
          {
            name: 'n',
            in: 'query',
            required: false,
            description: 'Number of the state that the board knows',
            schema: { type: 'integer' },
          },
        ],
      ),
    },
    '/device/applied': {
      post: board('applied', 'Say what the device now has', {
        requestBody: { required: true, content: { 'application/json': values({ gate: 1 }) } },
      }),
    },
    '/device/raise/{key}': event('raise'),
    '/device/clear/{key}': event('clear'),
    '/device/about': {
      post: board('about', 'Say what the board is', {
        requestBody: {
          required: true,
          content: { 'application/json': values({ firmware: '1.2', signal: -67, battery: 81 }) },
        },
      }),
    },
    '/device/firmware': {
      get: board('askFirmware', 'Ask whether there is a new program for the board', {
        parameters: [
          { ...HAS, name: 'has', description: 'The version that runs', example: '1.0.0' },
          {
            ...HAS,
            name: 'slots',
            required: false,
            description: 'Programs that it has room for',
            example: '2',
          },
          SPEAKS_FOR,
        ],
        responses: {
          200: {
            description: 'The program that is meant for it; `version` null for none',
            content: {
              'application/json': values({
                version: '1.1.0',
                size: 412672,
                sha256: '9f86…',
                signature: '3045…',
              }),
            },
          },
          ...PROBLEMS,
        },
      }),
      post: board('sayFirmware', 'Say that a program was fetched and is right, or why not', {
        requestBody: {
          required: true,
          content: { 'application/json': values({ version: '1.1.0', state: 'fetched' }) },
        },
      }),
    },
    '/device/firmware/{version}': {
      get: board(
        'readFirmware',
        'Fetch a part of the program that is meant for the board',
        {
          responses: {
            206: {
              description: 'The bytes of the range, 64 KB at the most',
              content: {
                'application/octet-stream': { schema: { type: 'string', format: 'binary' }, example: '…' },
              },
            },
            404: refusing(
              'Not meant for it',
              'wrong-topic',
              'No program "1.1.0" is meant for this device. Ask at GET /device/firmware?has=…&slots=2 first.',
            ),
            416: refusing(
              'A range that is not in it',
              'wrong-topic',
              'These bytes are not in it. Ask as Range: bytes=0-16383.',
            ),
            401: PROBLEMS[401],
            405: PROBLEMS[405],
            429: PROBLEMS[429],
          },
        },
        [
          { name: 'version', in: 'path', required: true, schema: { type: 'string' } },
          {
            name: 'Range',
            in: 'header',
            required: false,
            schema: { type: 'string' },
            example: 'bytes=0-4095',
          },
          SPEAKS_FOR,
        ],
      ),
    },
    '/device/claim': {
      post: board(
        'claim',
        'Claim a device of one’s own with a claim secret in place of the token',
        {
          requestBody: {
            required: true,
            content: { 'application/json': values({ serial: '0024befffe804ff1' }) },
          },
          responses: {
            201: {
              description: 'Made',
              content: { 'application/json': values({ device: 'dipwell-a1', token: 'moor…' }) },
            },
            200: {
              description: 'Asked again before the token was used',
              content: { 'application/json': values({ device: 'dipwell-a1', token: 'moor…' }) },
            },
            401: PROBLEMS[401],
            403: refusing(
              'Not for this board any more',
              'bad-token',
              'This claim secret was ended. Make a new one on the page of the kind.',
            ),
            409: refusing(
              'Claimed by this serial already',
              'bad-token',
              'The board with the serial "0024befffe804ff1" has claimed already, as dipwell-a1. To let it claim again, open it on the page of its kind.',
            ),
            429: PROBLEMS[429],
          },
        },
        [],
      ),
    },
    '/device/time': {
      get: {
        operationId: 'time',
        tags: ['board'],
        summary: 'The time of the service',
        description: 'The time of the service.',
        security: [],
        responses: {
          200: {
            description: 'Milliseconds since 1970',
            content: { 'application/json': values({ now: 1_777_636_800_000 }) },
          },
          405: PROBLEMS[405],
        },
      },
    },
  };
}
