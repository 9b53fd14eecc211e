import path from 'node:path';
import express, { type Express, type NextFunction, type Request, type Response } from 'express';
import helmet from 'helmet';
import type { Logger } from 'pino';
import { ConnectionError, BaseError as SequelizeError } from 'sequelize';
import { ValidationError, type AnySchema } from 'yup';
import {
  endpoints,
  fieldProblems,
  openApiDocument,
  type Endpoint,
  type EndpointName,
} from '@peatmoor/contract';
import { ProblemError, unavailable } from '../problems';
import { accountHandlers, VERSION } from './account';
import { calibrationHandlers } from './calibrations';
import { claimHandlers } from './claims';
import { computingHandlers } from './computing';
import { commandHandlers } from './commands';
import { deviceOf, type ApiParts, type Call, type Handlers } from './context';
import { dataHandlers } from './data';
import { sendExport } from './export';
import { dashboardHandlers } from './dashboards';
import { devicePictures } from './devicePicture';
import { deviceHandlers } from './devices';
import { historyHandlers } from './history';
import { sendImage } from './images';
import { kindHandlers } from './kinds';
import { ruleHandlers } from './rules';
import { demand, demandReach, scopeOf } from './scope';

/** Answers the state of the service; `ok` false makes it a 503, for balancers. */
export type HealthCheck = () => Promise<{ ok: boolean } & Record<string, unknown>>;

/** The web side of the service: API, its description, health, and the console's files. */
export function createApp(parts: ApiParts, consoleFolder: string, health: HealthCheck, log: Logger): Express {
  const handlers: Handlers = {
    ...accountHandlers(parts),
    ...kindHandlers(parts),
    ...deviceHandlers(parts),
    ...historyHandlers(parts),
    ...dataHandlers(parts),
    ...calibrationHandlers(parts),
    ...claimHandlers(parts),
    ...computingHandlers(parts),
    ...commandHandlers(parts),
    ...dashboardHandlers(parts),
    ...ruleHandlers(parts),
  };
  const app = express();
  app.disable('x-powered-by');
  app.set('etag', false);
  app.use(securityHeaders(parts.config.publicUrl?.startsWith('https:') ?? false));
  app.get('/health', async (_request, response) => {
    const state = await health();
    response.status(state.ok ? 200 : 503).json(state);
  });
  app.get('/api/openapi.json', (_request, response) => void response.json(openApiDocument(VERSION)));
  app.use('/api', refuseForeignOrigins);
  devicePictures(app, parts);
  app.use('/api', express.json({ limit: '1mb' }));
  for (const name of Object.keys(endpoints) as EndpointName[]) {
    const endpoint = endpoints[name] as Endpoint;
    const method = endpoint.method.toLowerCase() as 'get' | 'post' | 'put' | 'patch' | 'delete';
    app[method](endpoint.path, (request, response, next) => {
      answer(
        parts,
        endpoint,
        handlers[name] as (call: Call<never>) => Promise<unknown>,
        request,
        response,
      ).catch(next);
    });
  }
  app.get('/api/devices/:device/export', (request, response, next) => {
    sendExport(parts, request, response).catch(next);
  });
  app.get('/api/devices/:device/images/:stream', (request, response, next) => {
    sendImage(parts, request, response).catch(next);
  });
  app.use('/api', (request) => {
    throw new ProblemError(
      404,
      'Not found',
      `There is no ${request.method} ${request.originalUrl.split('?')[0]}. See /api/openapi.json for what there is.`,
    );
  });
  app.use(express.static(consoleFolder, { index: false, setHeaders: cacheForever }));
  app.get('/{*path}', (_request, response) => {
    response.setHeader('cache-control', 'no-cache');
    response.sendFile(path.join(consoleFolder, 'index.html'));
  });
  app.use((error: Error, request: Request, response: Response, _next: NextFunction) => {
    const problem = toProblem(error);
    if (problem.status >= 500)
      log.error({ error: error.message, stack: error.stack, path: request.path }, 'a call failed');
    if (problem.retryAfterS !== undefined) response.setHeader('retry-after', String(problem.retryAfterS));
    response
      .status(problem.status)
      .type('application/problem+json')
      .send(JSON.stringify(problem.toProblem()));
  });
  return app;
}

async function answer(
  parts: ApiParts,
  endpoint: Endpoint,
  handler: (call: Call<never>) => Promise<unknown>,
  request: Request,
  response: Response,
): Promise<void> {
  const scope =
    endpoint.access === 'open' ? null : demand(await scopeOf(parts.store, request), endpoint.access);
  const { device } = request.params as { device?: string };
  if (scope !== null && scope.only !== null)
    demandReach(scope, endpoint, device === undefined ? null : (await deviceOf(parts, scope, device)).rowId);
  const body: unknown = await check(endpoint.body, request.body ?? {}, true);
  const query = (await check(endpoint.query, request.query, false)) as Record<string, unknown>;
  const params = request.params as Record<string, string>;
  const result = await handler({ scope, params, query, body, request, response } as unknown as Call<never>);
  response.setHeader('cache-control', 'no-store');
  if (result === undefined) response.status(204).end();
  else response.json(result);
}

/** Validates what came against its schema; a body must have its types right already, a query is text and is read. */
async function check(schema: AnySchema | undefined, value: unknown, strict: boolean): Promise<unknown> {
  if (schema === undefined) return value;
  const options = { abortEarly: false, stripUnknown: false };
  if (!strict) return schema.validate(value, options);
  await schema.validate(schema.isType(value) ? withDefaults(schema, value) : value, {
    ...options,
    strict: true,
  });
  return schema.cast(value, { assert: false });
}

/** Defaults and trimming are applied before the strict look, but no type is turned into another. */
function withDefaults(schema: AnySchema, value: unknown): unknown {
  const cast: unknown = schema.cast(value, { assert: false });
  const keepTypes = (before: unknown, after: unknown): unknown => {
    if (Array.isArray(before) && Array.isArray(after))
      return after.map((one, i) => keepTypes(before[i], one));
    if (before !== null && typeof before === 'object' && after !== null && typeof after === 'object')
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
  };
  return keepTypes(value, cast);
}

function toProblem(error: Error): ProblemError {
  if (error instanceof ProblemError) return error;
  if (error instanceof ValidationError) {
    const errors = fieldProblems(error);
    const detail = errors
      .map(({ field, reason, remedy }) => `${field || 'The body'} ${reason}. ${remedy}`)
      .join(' ');
    return new ProblemError(422, 'Not accepted', detail, { errors });
  }
  const { type, status, limit } = error as { type?: string; status?: number; limit?: number };
  if (type === 'entity.too.large')
    return new ProblemError(
      413,
      'Too large',
      `The body is larger than ${Math.round((limit ?? 2 ** 20) / 1024)} KB. Send less at once.`,
    );
  if (type === 'entity.parse.failed')
    return new ProblemError(400, 'Unreadable', `The body is not JSON: ${error.message}.`);
  if (error instanceof ConnectionError || isLostConnection(error)) return unavailable();
  if (status !== undefined && status >= 400 && status < 500)
    return new ProblemError(status, 'Not accepted', error.message);
  return new ProblemError(
    500,
    'A fault in the service',
    'Something went wrong that should not. It is in the log; trying again may help.',
  );
}

function isLostConnection(error: Error): boolean {
  const { fatal, code, parent } = error as { fatal?: boolean; code?: string; parent?: { fatal?: boolean } };
  return (
    fatal === true ||
    parent?.fatal === true ||
    code === 'ER_GET_CONNECTION_TIMEOUT' ||
    (error instanceof SequelizeError && /connect|socket|acquire/i.test(error.message))
  );
}

/** A page of another site must not act with somebody's session. */
function refuseForeignOrigins(request: Request, _response: Response, next: NextFunction): void {
  const { origin, host } = request.headers;
  if (
    origin !== undefined &&
    request.method !== 'GET' &&
    URL.canParse(origin) &&
    new URL(origin).host !== host
  )
    throw new ProblemError(
      403,
      'Foreign page',
      'This call came from a page of another address. Open the console at the address of the service itself.',
    );
  next();
}

function securityHeaders(https: boolean) {
  return helmet({
    contentSecurityPolicy: {
      useDefaults: false,
      directives: {
        defaultSrc: ["'self'"],
        styleSrc: ["'self'", "'unsafe-inline'"],
        imgSrc: ["'self'", 'data:', 'blob:'],
        fontSrc: ["'self'", 'data:'],
        connectSrc: ["'self'", 'ws:', 'wss:'],
        objectSrc: ["'none'"],
        frameAncestors: ["'none'"],
        baseUri: ["'self'"],
        formAction: ["'self'"],
      },
    },
    strictTransportSecurity: https,
    crossOriginOpenerPolicy: https,
    originAgentCluster: false,
  });
}

function cacheForever(response: Response, file: string): void {
  if (/[\\/]assets[\\/]/.test(file))
    response.setHeader('cache-control', 'public, max-age=31536000, immutable');
}
