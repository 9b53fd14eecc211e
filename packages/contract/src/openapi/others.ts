import type { AnySchema, SchemaDescription, SchemaObjectDescription } from 'yup';
import { boardPaths, list, text, values } from './boards';

type Json = Record<string, unknown>;

/** What each group of calls is about. */
export const TAGS: Record<string, string> = {
  account: 'Accounts, sessions, access keys, workspaces',
  people: 'Who belongs to a workspace, and who changed what',
  kinds: 'Device kinds and their datastreams',
  devices: 'Devices, tokens, arrivals',
  data: 'History, statistics, import, calibration',
  dashboards: 'Dashboards and their widgets',
  rules: 'Event rules, events, alerts',
  steering: 'Commands, timetables, notes',
  sharing: 'Share links, grants, the workspace as a file',
  board: 'What a board calls, with its device token',
  files: 'Readings and images as files',
  service: 'The service itself',
};
export const OTHER_TAGS = ['board', 'files', 'service'];

/** What is not one of the API's calls: boards, files, the service itself. */
export function otherPaths(exportQuery: AnySchema): Record<string, Json> {
  const { fields } = exportQuery.describe() as SchemaObjectDescription;
  const query = Object.entries(fields).map(([name, field]) => ({
    name,
    in: 'query',
    required: false,
    description: EXPORT_WORDS[name] ?? name,
    schema: {
      type: (field as SchemaDescription).type === 'number' ? 'number' : 'string',
      ...((field as SchemaDescription).oneOf.length > 0 && { enum: (field as SchemaDescription).oneOf }),
    },
  }));
  const inPath = (name: string): Json => ({ name, in: 'path', required: true, schema: { type: 'string' } });
  const problem = (status: number): Json => ({ $ref: `#/components/responses/Problem${status}` });
  const files = [401, 403, 404, 422].map((status) => [status, problem(status)]);
  return {
    ...boardPaths(),
    '/api/devices/{device}/export': {
      get: {
        operationId: 'export',
        tags: ['files'],
        summary: 'All readings of a device as a file',
        description: 'All readings of a device as a file.',
        security: [{ session: [] }, { accessKey: [] }],
        parameters: [inPath('device'), ...query],
        responses: {
          200: {
            description: 'The file',
            headers: {
              Link: { description: 'With `most`: where the next part begins', schema: { type: 'string' } },
              'Peatmoor-Left-Out': {
                description: 'Keys of datastreams that no table can hold',
                schema: { type: 'string' },
              },
            },
            content: {
              'text/csv': { ...text, example: 'at,water_level\r\n2026-05-01T12:00:00.000Z,-121\r\n' },
              'application/json': list,
              'application/senml+json': list,
              'application/geo+json': values({}),
              'application/gpx+xml': text,
              'application/zip': text,
            },
          },
          ...Object.fromEntries(files),
        },
      },
    },
    '/api/devices/{device}/images/{stream}': {
      get: {
        operationId: 'image',
        tags: ['files'],
        summary: 'An image of a datastream, the newest or that of a time',
        description: 'An image of a datastream, the newest or that of a time.',
        security: [{ session: [] }, { accessKey: [] }],
        parameters: [
          inPath('device'),
          inPath('stream'),
          { name: 'at', in: 'query', required: false, description: 'Its time', schema: { type: 'number' } },
        ],
        responses: {
          200: {
            description: 'The image',
            content: { 'image/jpeg': text, 'image/png': text, 'image/webp': text },
          },
          ...Object.fromEntries(files),
        },
      },
    },
    '/api/kinds/{kind}/firmware/{version}': {
      put: {
        operationId: 'uploadFirmware',
        tags: ['files'],
        summary: 'Upload a built program of a kind, as bytes; it is signed with the key of the kind',
        description:
          'Upload a built program of a kind, as bytes; it is signed with the key of the kind. A version is uploaded once.',
        security: [{ session: [] }, { accessKey: [] }],
        parameters: [
          inPath('kind'),
          inPath('version'),
          {
            name: 'notes',
            in: 'query',
            required: false,
            description: 'What is new in it',
            schema: { type: 'string' },
          },
        ],
        requestBody: { required: true, content: { 'application/octet-stream': { ...text, example: '…' } } },
        responses: {
          201: {
            description: 'Kept, and signed',
            headers: { Location: { schema: { type: 'string' } } },
            content: { 'application/json': values({ version: '1.1.0', size: 412672 }) },
          },
          ...Object.fromEntries([...files, ...[409, 413].map((status) => [status, problem(status)])]),
        },
      },
    },
    '/api/live': {
      get: {
        operationId: 'live',
        tags: ['service'],
        description:
          'A WebSocket. Send {"type":"watch","devices":"all","arrivals":"all"}; messages are JSON objects with a type.',
        summary: 'The live channel',
        security: [{ session: [] }, { accessKey: [] }],
        responses: {
          101: { description: 'The channel is open' },
          '2XX': { description: 'Never: it is a WebSocket' },
          401: problem(401),
        },
      },
    },
    '/metrics': {
      get: {
        operationId: 'metrics',
        tags: ['service'],
        summary: 'What is counted, as OpenMetrics text: for the machine itself, or with its own key',
        description: 'What is counted, as OpenMetrics text: for the machine itself, or with its own key.',
        security: [],
        responses: {
          200: {
            description: 'The metrics',
            content: {
              'application/openmetrics-text': { ...text, example: 'peatmoor_readings_total 3\n# EOF\n' },
            },
          },
          403: problem(403),
        },
      },
    },
    '/health': {
      get: {
        operationId: 'health',
        tags: ['service'],
        summary: 'Whether all is well',
        description: 'Whether all is well.',
        security: [],
        responses: {
          200: { description: 'All is well', content: { 'application/json': values({ ok: true }) } },
          503: { description: 'Something is not', content: { 'application/json': values({ ok: false }) } },
        },
      },
    },
  };
}

const EXPORT_WORDS: Record<string, string> = {
  format: 'How it is written',
  streams: 'Keys with commas between; all that can be written otherwise',
  from: 'From this time on',
  to: 'Up to this time',
  values: 'raw: as measured; right: with calibrations',
  days: 'Days back from now, instead of from and to',
  zone: 'Time zone of a sheet',
  most: 'Values of one part at the most; where the next begins stands in Link',
  access_token: 'An access key, for programs that can only fetch an address',
};
