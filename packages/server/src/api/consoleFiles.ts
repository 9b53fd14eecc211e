import type { ServerResponse } from 'node:http';
import path from 'node:path';
import type { Express, Response } from 'express';
import expressStaticGzip from 'express-static-gzip';
import { consolePage } from './consolePage';
import { sessionIdOf } from './scope';

/**
 * The console: its files, compressed when they were built, and its one page for every address that is a page's. A file that is
 * not there is a 404, and no page in its place.
 */
export function serveConsole(app: Express, folder: string, base: string): void {
  // The documentation is pages of its own beside the console.
  app.get(/^\/docs\/?$/, (_request, response) => response.redirect(`${base}/docs/index.html`));
  const sendPage = (response: Response, sort: 'plain' | 'session'): void => {
    response.setHeader('cache-control', 'no-cache');
    response.type('html').send(consolePage(folder, base, sort));
  };
  // As it is kept by a browser: the same for everybody.
  app.get('/index.html', (_request, response) => sendPage(response, 'plain'));
  app.use(
    expressStaticGzip(folder, {
      enableBrotli: true,
      orderPreference: ['br', 'gz'],
      index: false,
      serveStatic: { setHeaders: cacheForever },
    }),
  );
  app.get('/{*path}', (request, response) => {
    if (path.extname(request.path) !== '') {
      response.status(404).type('text/plain').send('There is no such file.\n');
      return;
    }
    response.setHeader('vary', 'cookie');
    // Whether somebody is signed in is found out by what the page asks.
    sendPage(response, sessionIdOf(request) === undefined ? 'plain' : 'session');
  });
}

/** Files whose names change with what is in them stay; the service worker is looked at anew each time. */
function cacheForever(response: ServerResponse, file: string): void {
  if (/[\\/]assets[\\/]/.test(file))
    response.setHeader('cache-control', 'public, max-age=31536000, immutable');
  else if (/[\\/]worker\.js/.test(file)) response.setHeader('cache-control', 'no-cache');
}
