import fs from 'node:fs';
import path from 'node:path';

/** The name that stands on the page until its script is there. */
const FIRST = /<p class="first">.*?<\/p>/;
const read = new Map<string, string>();

/**
 * The one page of the console. `session`: somebody may be signed in, so that it asks at once for what they see. `framed`: it may stand
 * in a page of somebody else, where the name of the service would flash.
 */
export function consolePage(folder: string, sort: 'plain' | 'session' | 'framed'): string {
  let page = read.get(folder);
  if (page === undefined) read.set(folder, (page = fs.readFileSync(path.join(folder, 'index.html'), 'utf8')));
  if (sort === 'framed') return page.replace(FIRST, '');
  return sort === 'session' ? page.replace('<html', '<html data-session') : page;
}
