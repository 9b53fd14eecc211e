/** The path under which a proxy shows the service, such as `/moor`; empty where it is at the root. */
export const BASE = document.documentElement.dataset.base ?? '';

/** A path of the service, as it is asked for from here. */
export const under = (path: string): string => BASE + path;

/** Where the page is, without that path. */
export const herePath = (): string => location.pathname.slice(BASE.length) || '/';
