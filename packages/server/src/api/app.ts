import { randomBytes } from 'node:crypto';
import { setImmediate as nextTurn } from 'node:timers/promises';
import { constants } from 'node:zlib';
import compression from 'compression';
import express, { type Express, type NextFunction, type Request, type Response } from 'express';
import helmet from 'helmet';
import type { Logger } from 'pino';
import { mayRead, serveMetrics, type Metrics } from '../metrics';
import { ValidationError } from 'yup';
import {
  endpoints,
  fieldProblems,
  jsonSchema,
  makesSomething,
  openApiDocument,
  workspaceFileSchema,
  type Endpoint,
  type EndpointName,
} from '@peatmoor/contract';
import { isFromProxy } from '../listeners/address';
import { isPublic } from '../listeners/web/certificate';
import { ProblemError, unavailable } from '../problems';
import { isDamaged, isLostConnection } from '../store/lost';
import { sendExport } from './export';
import { isAfterGap } from '../loopGap';
import { alertCharts } from './alertChart';
import { devicePictures } from './devicePicture';
import { firmwareFiles } from './firmware';
import { sendImage } from './images';
import { serveOwnWidgets } from './ownWidget';
import { serveSharedPages } from './sharedPages';
import { recorded } from './recorded';
import { VERSION } from '../version';
import { serveAuthority } from './certificate';
import { deviceOf, type ApiParts, type Call, type Handlers } from './context';
import { createHandlers } from './handlers';
import { serveConsole } from './consoleFiles';
import { createFirstSight } from './firstSight';
import { checkBody, checkQuery } from './validation';
import { isForeign, isOwnPage } from './origin';
import { problemPages } from './problemPages';
import { onceFor, type Outcome } from './repeats';
import { demand, demandReach, scopeOf, sessionIdOf, type Scope } from './scope';
import { callerOf, createUnderWay, type UnderWay } from './underWay';
import { etagOf, expectedVersions, underVersion } from './versions';

/** Answers the state of the service; `ok` false makes it a 503, for balancers. */
export type HealthCheck = () => Promise<{ ok: boolean }>;

/** The web side of the service: API, its description, health, and the console's files. */
export function createApp(
  parts: ApiParts,
  consoleFolder: string,
  health: HealthCheck,
  metrics: Metrics,
  log: Logger,
): Express {
  const handlers = createHandlers(parts);
  const app = express();
  app.disable('x-powered-by');
  app.set('etag', false);
  // Long answers are sent compressed; what boards ask for does not come here.
  app.use(compression({ level: 3, brotli: { params: { [constants.BROTLI_PARAM_QUALITY]: 3 } } }));
  const secured = securityHeaders(parts.config.tls !== null && isPublic(parts.config.tls.cert));
  app.use((request, response, next) => {
    if (!ASSET.test(request.path)) return secured(request, response, next);
    response.setHeader('x-content-type-options', 'nosniff');
    response.setHeader('cross-origin-resource-policy', 'same-origin');
    next();
  });
  app.use((request, response, next) => {
    const since = performance.now();
    // By it a line of the log is found for an answer; a proxy in front may have given one.
    const given = isFromProxy(request) ? request.get('x-request-id') : undefined;
    const id = given !== undefined && /^[\w.-]{1,64}$/.test(given) ? given : randomBytes(8).toString('hex');
    response.setHeader('x-request-id', id);
    response.once('finish', () =>
      metrics.answered(request.method, response.statusCode, (performance.now() - since) / 1000),
    );
    next();
  });
  serveMetrics(app, metrics, parts.config.metricsKey);
  app.get('/health', async (request, response) => {
    const state = await health();
    const { ok } = state;
    // A stranger, or a balancer, is told whether it works; what else there is concerns whoever looks after the machine.
    response.status(ok ? 200 : 503).json(mayRead(request, parts.config.metricsKey) ? state : { ok });
  });
  app.get(
    '/api/openapi.json',
    (_request, response) => void response.json(openApiDocument(VERSION, parts.address().httpUrl)),
  );
  app.get('/api/workspace-file.schema.json', (_request, response) => {
    response.json({
      $schema: 'https://json-schema.org/draft/2020-12/schema',
      title: 'Peatmoor workspace file',
      ...jsonSchema(workspaceFileSchema),
    });
  });
  problemPages(app, parts.config.basePath);
  serveAuthority(app, parts);
  const underWay = createUnderWay();
  app.use(['/api', '/shared'], underWay.atOnce);
  app.use('/api', refuseForeignOrigins);
  devicePictures(app, parts);
  alertCharts(app, parts);
  firmwareFiles(app, parts);
  app.use('/api', express.json({ limit: '1mb' }));
  for (const name of Object.keys(endpoints) as EndpointName[]) {
    const endpoint = endpoints[name] as Endpoint;
    const method = endpoint.method.toLowerCase() as 'get' | 'post' | 'put' | 'patch' | 'delete';
    app[method](endpoint.path, (request, response, next) => {
      answer(parts, { name, endpoint, handlers, underWay }, request, response).catch(next);
    });
  }
  app.get('/api/devices/:device/export', (request, response, next) => {
    sendExport({ ...parts, underWay }, request, response).catch(next);
  });
  app.get('/api/devices/:device/images/:stream', (request, response, next) => {
    sendImage(parts, request, response).catch(next);
  });
  app.use('/api', (request, response) => {
    const allowed = methodsOf(request.baseUrl + request.path);
    if (allowed.length > 0) {
      response.setHeader('allow', allowed.join(', '));
      throw new ProblemError(
        'wrong-method',
        `There is no ${request.method} ${request.originalUrl.split('?')[0]}; there is ${allowed.join(', ')}.`,
      );
    }
    throw new ProblemError(
      'not-found',
      `There is no ${request.method} ${request.originalUrl.split('?')[0]}. See /api/openapi.json for what there is.`,
    );
  });
  serveOwnWidgets(app);
  serveSharedPages(app, parts, consoleFolder);
  serveConsole(app, consoleFolder, parts.config.basePath, createFirstSight(parts, handlers, underWay));
  app.use((error: Error, request: Request, response: Response, _next: NextFunction) => {
    const problem = toProblem(error);
    const id = response.getHeader('x-request-id');
    if (problem.status >= 500)
      log.error({ err: error, request: id, path: withoutSecret(request.path) }, 'a call failed');
    if (problem.status === 401) response.setHeader('www-authenticate', 'Bearer realm="Peatmoor"');
    if (problem.retryAfterS !== undefined) response.setHeader('retry-after', String(problem.retryAfterS));
    response
      .status(problem.status)
      .type('application/problem+json')
      .send(JSON.stringify(problem.toProblem()));
  });
  return app;
}

interface Route {
  name: EndpointName;
  endpoint: Endpoint;
  handlers: Handlers;
  underWay: UnderWay;
}

/** True where nothing is changed, so that a repeated call may simply be done again. */
const onlyLooks = ({ looks, method }: Endpoint, { body }: Request): boolean =>
  looks === true || method !== 'POST' || (body as { try?: unknown } | undefined)?.try === true;

/** A path as it may stand in the log: what stands behind /shared/ opens a page. */
const withoutSecret = (path: string): string => path.replace(/^\/shared\/[^/]*/, '/shared/…');

async function answer(parts: ApiParts, route: Route, request: Request, response: Response): Promise<void> {
  const { endpoint, underWay } = route;
  if (isAfterGap(request)) {
    // Whoever gave up meanwhile is heard of a turn later.
    for (let turn = 0; turn < 3; turn++) await nextTurn();
    if (response.destroyed || request.socket.destroyed || request.socket.readableEnded) return;
  }
  const scope =
    endpoint.access === 'open' ? null : demand(await scopeOf(parts.store, request), endpoint.access);
  const { device } = request.params as { device?: string };
  if (scope !== null && scope.only !== null)
    demandReach(scope, endpoint, device === undefined ? null : (await deviceOf(parts, scope, device)).rowId);
  const work = (): Promise<Outcome> => outcomeOf(parts, route, scope, request, response);
  const end = scope === null ? null : await underWay.enter(...callerOf(scope), () => response.destroyed);
  let outcome: Outcome;
  try {
    outcome = onlyLooks(endpoint, request) ? await work() : await onceFor(parts.store, scope, request, work);
  } finally {
    end?.();
  }
  const { status, body, headers } = outcome;
  for (const [name, value] of Object.entries(headers)) response.setHeader(name, value);
  response.setHeader('cache-control', 'no-store');
  if (body === undefined) response.status(status).end();
  else response.status(status).json(body);
}

async function outcomeOf(
  parts: ApiParts,
  { name, endpoint, handlers }: Route,
  scope: Scope | null,
  request: Request,
  response: Response,
): Promise<Outcome> {
  if (endpoint.body !== undefined) refuseOtherForms(request);
  const body = await checkBody(endpoint.body, request.body ?? {});
  const query = await checkQuery(endpoint.query, request.query);
  const params = request.params as Record<string, string>;
  const call = { scope, params, query, body, request, response } as unknown as Call<never>;
  const handler = handlers[name] as (call: Call<never>) => Promise<unknown>;
  const work = (): Promise<unknown> =>
    recorded({ store: parts.store, handlers, log: parts.log }, name, call, () => handler(call));
  const { versioned, method } = endpoint;
  let result: unknown;
  let version: number | null = null;
  // A body that names its version is compared where it is kept.
  const compares = versioned !== undefined && method !== 'GET' && !hasVersion(body);
  if (compares && scope !== null)
    ({ result, version } = await underVersion(
      parts.store,
      scope,
      versioned,
      params,
      expectedVersions(request),
      work,
    ));
  else result = await work();
  if (versioned !== undefined && hasVersion(result)) {
    if (version !== null) result = { ...result, version };
    else version = result.version;
  }
  const cookies = response.getHeader('set-cookie') as string[] | undefined;
  const isMade = makesSomething(name, endpoint) && (body as { try?: unknown }).try !== true;
  const place = isMade ? placeOf(endpoint, parts.config.basePath + request.path, result) : null;
  return {
    status: result === undefined ? 204 : isMade ? 201 : 200,
    body: result,
    headers: {
      ...(place !== null && { location: place }),
      ...(version !== null && method !== 'DELETE' && { etag: etagOf(version) }),
      ...(cookies !== undefined && { 'set-cookie': cookies }),
    },
  };
}

/** Where what was made can be asked for; null where nothing answers for it alone. */
function placeOf({ path }: Endpoint, asked: string, result: unknown): string | null {
  if (typeof result !== 'object' || result === null || !OF_ONE.has(path)) return null;
  const made = ('device' in result ? result.device : result) as { id?: unknown; key?: unknown };
  const id = made.id ?? made.key;
  return typeof id === 'string' || typeof id === 'number' ? `${asked}/${encodeURIComponent(id)}` : null;
}

/** Addresses of lists whose things have addresses of their own. */
const OF_ONE = new Set(
  Object.values(endpoints).flatMap(({ method, path }) =>
    method === 'GET' ? path.replace(/\/:\w+$/, '') : [],
  ),
);

/** Methods that an address has. */
function methodsOf(path: string): string[] {
  const fits = (pattern: string): boolean => new RegExp(`^${pattern.replace(/:\w+/g, '[^/]+')}$`).test(path);
  return Object.values(endpoints).flatMap((one) => (fits(one.path) ? [one.method] : []));
}

/** A body that is not JSON is refused by its type, where one is read, and never taken for an empty one. */
function refuseOtherForms(request: Request): void {
  const hasBody =
    request.headers['transfer-encoding'] !== undefined || Number(request.headers['content-length'] ?? 0) > 0;
  if (hasBody && request.is(['json', '+json']) === false)
    throw new ProblemError(
      'wrong-form',
      `The body is ${request.headers['content-type'] ?? 'of no type'}. Send JSON, with the header "Content-Type: application/json".`,
    );
}

function hasVersion(value: unknown): value is { version: number } {
  return (
    typeof value === 'object' && value !== null && 'version' in value && typeof value.version === 'number'
  );
}

function toProblem(error: Error): ProblemError {
  if (error instanceof ProblemError) return error;
  if (error instanceof ValidationError) {
    const errors = fieldProblems(error);
    const detail = errors
      .map(({ field, reason, remedy }) => `${field || 'The body'} ${reason}. ${remedy}`)
      .join(' ');
    return new ProblemError('not-accepted', detail, { errors });
  }
  const { type, status, limit } = error as { type?: string; status?: number; limit?: number };
  if (type === 'entity.too.large')
    return new ProblemError(
      'too-large',
      `The body is larger than ${Math.round((limit ?? 2 ** 20) / 1024)} KB. Send less at once.`,
    );
  if (type === 'entity.parse.failed')
    return new ProblemError('unreadable', `The body is not JSON: ${error.message}.`);
  if (isLostConnection(error)) return unavailable();
  if (isDamaged(error))
    return new ProblemError(
      'unavailable',
      'A part of the records is missing or damaged. Nothing was changed. Whoever looks after the service finds more under "check".',
      { cause: error, retryAfterS: 60 },
    );
  if (status !== undefined && status >= 400 && status < 500)
    return new ProblemError(status === 415 ? 'wrong-form' : 'unreadable', `${error.message}.`);
  return new ProblemError(
    'fault',
    'Something went wrong that should not. It is in the log; trying again may help.',
    { cause: error },
  );
}

/** A page of another site must not act with somebody's session. */
function refuseForeignOrigins(request: Request, _response: Response, next: NextFunction): void {
  const changes = request.method !== 'GET' && request.method !== 'HEAD';
  const byCookie = sessionIdOf(request) !== undefined && request.headers.authorization === undefined;
  if (changes && (byCookie ? !isOwnPage(request) : isForeign(request)))
    throw new ProblemError(
      'foreign-page',
      'This call does not come from a page of this service. Open the console at the address of the service itself; programs use an access key.',
    );
  next();
}

/** Files of the console that are no pages: half a kilobyte of rules for pages with each of fifty is for nothing. */
const ASSET = /^\/assets\/[\w.-]+\.(?:js|css|woff2)$/;

/** `lasting`: browsers may be told to come by TLS only, for a year. */
function securityHeaders(lasting: boolean) {
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
    strictTransportSecurity: lasting,
    crossOriginOpenerPolicy: true,
    originAgentCluster: false,
  });
}
