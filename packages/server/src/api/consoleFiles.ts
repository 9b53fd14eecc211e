import type { ServerResponse } from 'node:http';
import path from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import type { Express, Request, Response } from 'express';
import expressStaticGzip from 'express-static-gzip';
import { firstPageOf } from '@peatmoor/contract';
import { consolePage, type PageView } from './consolePage';
import type { FirstSight } from './firstSight';
import { sessionIdOf } from './scope';

/** How long a page waits for what it shows first, in ms: without that it asks for it itself. */
const WAIT_MS = 300;

/**
 * The console: its files, compressed when they were built, and its one page for every address that is a page's. A file that is
 * not there is a 404, and no page in its place.
 */
export function serveConsole(
  app: Express,
  folder: string,
  base: string,
  seenFirst: (request: Request) => Promise<FirstSight | null>,
): void {
  // The documentation is pages of its own beside the console.
  app.get(/^\/docs\/?$/, (_request, response) => response.redirect(`${base}/docs/index.html`));
  const sendPage = (response: Response, view: PageView): void => {
    response.setHeader('cache-control', view.session ? 'private, no-cache' : 'no-cache');
    response.type('html').send(consolePage(folder, base, view));
  };
  // As it is kept by a browser: the same for everybody.
  app.get('/index.html', (_request, response) => sendPage(response, {}));
  app.use(
    expressStaticGzip(folder, {
      enableBrotli: true,
      orderPreference: ['br', 'gz'],
      index: false,
      serveStatic: { setHeaders: cacheForever },
    }),
  );
  app.get('/{*path}', async (request, response) => {
    if (path.extname(request.path) !== '') {
      response.status(404).type('text/plain').send('There is no such file.\n');
      return;
    }
    response.setHeader('vary', 'cookie, sec-fetch-site');
    if (sessionIdOf(request) !== undefined) {
      const seen = await Promise.race([
        seenFirst(request).catch(() => null),
        sleep(WAIT_MS, null, { ref: false }),
      ]);
      // Where a session has ended, or it is not known in time, the page finds it out by what it asks.
      return sendPage(response, { session: true, first: firstPageOf(request.path), ...seen });
    }
    // From a page of somebody else it comes without its cookie, though somebody may be signed in.
    const isOwn = ['none', 'same-origin'].includes(String(request.headers['sec-fetch-site']));
    sendPage(response, isOwn ? { began: { answers: [] }, first: 'SignIn' } : {});
  });
}

/** Files whose names change with what is in them stay; the service worker is looked at anew each time. */
function cacheForever(response: ServerResponse, file: string): void {
  if (/[\\/]assets[\\/]/.test(file))
    response.setHeader('cache-control', 'public, max-age=31536000, immutable');
  else if (/[\\/]worker\.js/.test(file)) response.setHeader('cache-control', 'no-cache');
}
