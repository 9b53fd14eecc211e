import fs from 'node:fs';
import path from 'node:path';
import { BEGAN_ID, WELCOME, type Began, type FirstPage } from '@peatmoor/contract';
import { escapeText } from './escape';

/** The name that stands on the page until its script is there. */
const FIRST = /<p class="first">.*?<\/p>/;
/** What stands there where nobody is signed in: the page to sign in begins like it. */
const WELCOME_FIRST = `<main class="first-in"><i></i><div><h1>Peatmoor</h1><p>${WELCOME}</p></div></main>`;
/** Its files are named relative to it; it is shown at many addresses. */
const RELATIVE = /(src|href)="\.\//g;
/** The letters of nearly all texts: asked for at once, so that they are not drawn twice. */
const LETTERS = /url\(([^)]*hyperlegible-next-latin-wght[^)]*\.woff2)\)/;
const STYLE = /<link rel="stylesheet"[^>]*href="\.\/(assets\/[\w.-]+\.css)"[^>]*>/;

/** What a page is sent with. */
export interface PageView {
  /** It may stand in a page of somebody else, where the name of the service would flash. */
  framed?: boolean;
  /** Somebody may be signed in, so that it asks at once for what they see. */
  session?: boolean;
  /** What is known of what it asks first. */
  began?: Began;
  /** The first words of the page, as they will stand there. */
  words?: FirstWords | undefined;
  /** The file that the address opens, fetched together with the others. */
  first?: FirstPage | undefined;
}

export interface FirstWords {
  title: string;
  /** A small drawing stands before the title. */
  hasMark?: boolean;
  below?: string;
}

/** Files that a file of the console needs, as the build noted them. */
type Manifest = Record<string, { file: string; imports?: string[] }>;

interface Template {
  html: string;
  manifest: Manifest;
  /** The same with what fetches the files of a page, by the page. */
  withPage: Map<string, string>;
}
/** What the first script goes on with. */
const MAIN = 'src/main.tsx';
const read = new Map<string, Template>();

/** The one page of the console; `base`: the path under which a proxy shows the service. */
export function consolePage(folder: string, base: string, view: PageView): string {
  const name = `${folder} ${base}`;
  let template = read.get(name);
  if (template === undefined) read.set(name, (template = readTemplate(folder, base)));
  const { began, session = false, framed = false, first, words } = view;
  let page = first === undefined ? template.html : withPage(template, base, first);
  if (framed) return page.replace(FIRST, '');
  if (began !== undefined) {
    page = page.replace('</head>', () => `${elementOf(began)}</head>`);
    if (began.answers.length === 0) page = page.replace(FIRST, () => WELCOME_FIRST);
    else if (words !== undefined) page = page.replace(FIRST, (name) => name + elementsOf(words));
  }
  return session ? page.replace('<html', '<html data-session') : page;
}

function withPage({ html, manifest, withPage: known }: Template, base: string, first: FirstPage): string {
  let page = known.get(first);
  if (page === undefined)
    known.set(first, (page = withFiles(html, filesOf(manifest, `src/pages/${first}.tsx`), base)));
  return page;
}

const elementsOf = ({ title, below, hasMark = false }: FirstWords): string =>
  `<main class="first-page"><h1>${hasMark ? '<i></i> ' : ''}${escapeText(title)}</h1>${below === undefined ? '' : `<p>${escapeText(below)}</p>`}</main>`;

/** Read by the console's script; nothing in it can end the element. */
const elementOf = (began: Began): string =>
  `<script type="application/json" id="${BEGAN_ID}">${JSON.stringify(began).replace(/</g, '\\u003c')}</script>`;

function readTemplate(folder: string, base: string): Template {
  const text = (file: string): string => fs.readFileSync(path.join(folder, file), 'utf8');
  // The style of the first moment comes with the page itself. Its file is named too, and not fetched: files that are read later
  // would wait until it is.
  let html = text('index.html').replace(
    STYLE,
    (_, file: string) =>
      `<style>${text(file).replace(/url\(\.\//g, `url(${base}/assets/`)}</style><link rel="stylesheet" crossorigin disabled href="./${file}">`,
  );
  const [, font] = LETTERS.exec(html) ?? [];
  if (font !== undefined)
    html = html.replace(
      '<title>',
      `<link rel="preload" as="font" type="font/woff2" crossorigin href="${font}"><title>`,
    );
  html = html.replace(RELATIVE, `$1="${base}/`);
  if (base !== '') html = html.replace('<html', `<html data-base="${base}"`);
  const manifest = JSON.parse(text('.vite/manifest.json')) as Manifest;
  return { html: withFiles(html, filesOf(manifest, MAIN), base), manifest, withPage: new Map() };
}

/** A file of the console with all that it needs. */
function filesOf(manifest: Manifest, name: string): string[] {
  const files = new Set<string>();
  const add = (one: string): void => {
    const chunk = manifest[one];
    if (chunk === undefined || files.has(chunk.file)) return;
    files.add(chunk.file);
    for (const needed of chunk.imports ?? []) add(needed);
  };
  add(name);
  return [...files];
}

/** Files are asked for together, and not one when another is read; after what the first words need. */
function withFiles(html: string, files: readonly string[], base: string): string {
  const links = files
    .filter((file) => !html.includes(file))
    .map((file) => `<link rel="modulepreload" fetchpriority="low" crossorigin href="${base}/${file}">`);
  return html.replace('</head>', `${links.join('')}</head>`);
}
