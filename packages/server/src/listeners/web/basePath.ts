import type http from 'node:http';

/** First parts of paths that are the service's own: an address of pages cannot begin with one of them. */
const OWN = [
  'account',
  'alert',
  'alerts',
  'api',
  'arrivals',
  'assets',
  'dashboards',
  'device',
  'devices',
  'docs',
  'events',
  'health',
  'history',
  'join',
  'kinds',
  'metrics',
  'mqtt',
  'own-widget',
  'people',
  'problems',
  'reset',
  'settings',
  'shared',
  'take',
  'timetables',
  'trust',
];

/** The path under which a proxy in front shows the service, such as `/moor`; empty where it is at the root, or that is no address. */
export function basePathOf(publicUrl: string | null): string {
  if (publicUrl === null || !URL.canParse(publicUrl)) return '';
  return new URL(publicUrl).pathname.replace(/\/+$/, '');
}

/** Why a path cannot be taken, or null. */
export function pathProblem(path: string): string | null {
  if (!/^(\/[\w.-]+)*$/.test(path) || path.split('/').some((part) => /^\.+$/.test(part)))
    return 'may have letters, digits, dots, hyphens and underscores in its path';
  const first = path.split('/')[1] ?? '';
  return OWN.includes(first)
    ? `cannot have a path that begins with /${first}, which is the service's own`
    : null;
}

/** Takes the path of the proxy away where it passes it on; some proxies do, some take it away themselves. */
export function stripBase(base: string, request: http.IncomingMessage): void {
  const { url = '/' } = request;
  if (base === '' || !url.startsWith(base)) return;
  const rest = url.slice(base.length);
  if (rest === '' || rest.startsWith('?')) request.url = `/${rest}`;
  else if (rest.startsWith('/')) request.url = rest;
}
