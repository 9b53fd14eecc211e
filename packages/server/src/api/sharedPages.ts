import path from 'node:path';
import type { Express, Response } from 'express';
import { linkBy } from '../sharing/visitors';
import type { ApiParts } from './context';

/** The page of a share link: shown in frames of the sites that it names, and listed by search engines only where it says so. */
export function serveSharedPages(app: Express, { store }: Pick<ApiParts, 'store'>, folder: string): void {
  app.get('/shared/:credential', async (request, response) => {
    const link = await linkBy(store, request.params.credential);
    framedBy(response, link?.sites ?? []);
    if (link?.listed !== true) response.setHeader('x-robots-tag', 'noindex, nofollow');
    response.setHeader('cache-control', 'no-cache');
    response.sendFile(path.join(folder, 'index.html'));
  });
}

/** Lets a page be framed by this service itself and by some sites, and by nobody else. */
function framedBy(response: Response, sites: readonly string[]): void {
  const policy = String(response.getHeader('content-security-policy'));
  response.setHeader(
    'content-security-policy',
    policy.replace(/frame-ancestors [^;]*/, `frame-ancestors ${["'self'", ...sites].join(' ')}`),
  );
  response.removeHeader('x-frame-options');
}
