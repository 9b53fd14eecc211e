import type { IncomingMessage } from 'node:http';

/** True where a page of another address, or one that hides its address, is behind a request. */
export function isForeign({ headers }: Pick<IncomingMessage, 'headers'>): boolean {
  const { origin, host } = headers;
  return origin !== undefined && (!URL.canParse(origin) || new URL(origin).host !== host);
}

/**
 * True where a request shows that it comes from a page of this service: by its origin, or by what the browser says of it.
 * Needed where a cookie speaks for somebody, because browsers send it along for any page.
 */
export function isOwnPage(request: Pick<IncomingMessage, 'headers'>): boolean {
  if (isForeign(request)) return false;
  return request.headers.origin !== undefined || request.headers['sec-fetch-site'] === 'same-origin';
}
