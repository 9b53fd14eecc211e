import type { IncomingMessage } from 'node:http';

/** A header as it came, the first of that name; without an object of all of them. */
export function headerOf(request: IncomingMessage, name: string): string | undefined {
  const { rawHeaders } = request;
  for (let i = 0; i < rawHeaders.length; i += 2) {
    const one = rawHeaders[i]!;
    if (one.length === name.length && one.toLowerCase() === name) return rawHeaders[i + 1];
  }
  return undefined;
}

/** The secret of "Authorization: Bearer …", or null. */
export function bearerOf(request: IncomingMessage): string | null {
  const authorization = headerOf(request, 'authorization');
  return authorization !== undefined && /^bearer /i.test(authorization)
    ? authorization.slice(7).trim()
    : null;
}

/** The content type without its parameters, in small letters. */
export function contentType(request: IncomingMessage): string {
  const type = headerOf(request, 'content-type') ?? 'application/json';
  const end = type.indexOf(';');
  return (end < 0 ? type : type.slice(0, end)).trim().toLowerCase();
}
