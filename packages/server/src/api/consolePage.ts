import fs from 'node:fs';
import path from 'node:path';

/** The name that stands on the page until its script is there. */
const FIRST = /<p class="first">.*?<\/p>/;
/** Its files are named relative to it; it is shown at many addresses. */
const RELATIVE = /(src|href)="\.\//g;
const read = new Map<string, string>();

/**
 * The one page of the console. `session`: somebody may be signed in, so that it asks at once for what they see. `framed`: it may stand
 * in a page of somebody else, where the name of the service would flash. `base`: the path under which a proxy shows the service.
 */
export function consolePage(folder: string, base: string, sort: 'plain' | 'session' | 'framed'): string {
  const name = `${folder} ${base}`;
  let page = read.get(name);
  if (page === undefined) {
    page = fs.readFileSync(path.join(folder, 'index.html'), 'utf8').replace(RELATIVE, `$1="${base}/`);
    if (base !== '') page = page.replace('<html', `<html data-base="${base}"`);
    read.set(name, page);
  }
  if (sort === 'framed') return page.replace(FIRST, '');
  return sort === 'session' ? page.replace('<html', '<html data-session') : page;
}
