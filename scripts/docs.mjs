// Makes the pages under /docs from README.md and docs/: one style, a list of pages, a search without a service behind it.
import { cpSync, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { Marked } from 'marked';
import MiniSearch from 'minisearch';

/** Pages in the order of reading: to learn, to do something, to look something up, to understand. */
const GROUPS = {
  Tutorial: ['README.md'],
  'How to': [
    'docs/connect-a-board.md',
    'docs/nothing-arrives.md',
    'docs/dashboards.md',
    'docs/widget-of-your-own.md',
    'docs/steer-your-board.md',
    'docs/steer-safely.md',
    'docs/be-told.md',
    'docs/make-values-right.md',
    'docs/take-your-data-away.md',
    'docs/new-programs.md',
    'docs/let-others-look.md',
    'docs/on-a-web-page.md',
    'docs/keep-it-in-a-file.md',
    'docs/from-your-program.md',
    'docs/run-it.md',
    'docs/cluster.md',
    'docs/back-it-up.md',
  ],
  Reference: [
    'docs/what-it-keeps.md',
    'docs/wire.md',
    'docs/api.md',
    'docs/calls.md',
    'docs/command-line.md',
  ],
  Explanation: ['docs/architecture.md', 'docs/performance.md', 'CHANGELOG.md'],
};

const slug = (text) =>
  text
    .toLowerCase()
    .replace(/<[^>]+>|&[a-z]+;/g, '')
    .replace(/[^\p{L}\p{N}]+/gu, '-')
    .replace(/^-|-$/g, '');
const nameOf = (file) => (file === 'README.md' ? 'index' : path.basename(file, '.md'));
const escape = (text) => text.replace(/[&<>"]/g, (letter) => `&#${letter.charCodeAt(0)};`);

/** Writes the pages into a folder. */
export async function makeDocs(root, target, esbuild) {
  rmSync(target, { recursive: true, force: true });
  mkdirSync(target, { recursive: true });
  const pages = Object.entries(GROUPS).flatMap(([group, files]) =>
    files
      .filter((file) => existsSync(path.join(root, file)))
      .map((file) => ({ group, file, text: readFileSync(path.join(root, file), 'utf8') })),
  );
  const titleOf = ({ text, file }) => (file === 'README.md' ? 'First steps' : /^# (.*)$/m.exec(text)[1]);
  const sections = [];
  for (const page of pages) {
    const name = nameOf(page.file);
    const marked = new Marked({
      renderer: {
        heading({ tokens, depth }) {
          const html = this.parser.parseInline(tokens);
          return `<h${depth} id="${slug(html)}">${html}</h${depth}>\n`;
        },
        link({ href, tokens }) {
          const [file, part = ''] = href.split('#');
          const to =
            /^https?:/.test(href) || !/\.md$/.test(file)
              ? href
              : `${nameOf(file === '../README.md' ? 'README.md' : file)}.html${part && `#${part}`}`;
          return `<a href="${escape(to.replace(/^docs\//, ''))}">${this.parser.parseInline(tokens)}</a>`;
        },
        image({ href, text }) {
          return `<img loading="lazy" src="${escape(href.replace(/^(\.\.\/)?docs\//, ''))}" alt="${escape(text)}">`;
        },
      },
    });
    const body = marked.parse(page.text);
    for (const part of body.split(/(?=<h[123] id=)/)) {
      const [, id = '', heading = ''] = /^<h[123] id="([^"]*)">(.*?)<\/h/.exec(part) ?? [];
      const text = part
        .replace(/<[^>]+>/g, ' ')
        .replace(/\s+/g, ' ')
        .trim();
      if (text !== '')
        sections.push({
          id: sections.length,
          page: name,
          part: id,
          title: titleOf(page),
          heading: heading.replace(/<[^>]+>/g, ''),
          text,
        });
    }
    writeFileSync(path.join(target, `${name}.html`), frame(page, body, pages, titleOf));
  }
  const index = new MiniSearch({
    fields: ['title', 'heading', 'text'],
    storeFields: ['page', 'part', 'title', 'heading'],
  });
  index.addAll(sections);
  writeFileSync(path.join(target, 'index.json'), JSON.stringify(index));
  await esbuild.build({
    stdin: { contents: SEARCH, resolveDir: root, loader: 'js' },
    outfile: path.join(target, 'search.js'),
    bundle: true,
    minify: true,
    format: 'iife',
    logLevel: 'error',
  });
  writeFileSync(path.join(target, 'docs.css'), STYLE);
  for (const [name, file] of [
    ['letters', 'next'],
    ['figures', 'mono'],
  ])
    cpSync(
      path.join(
        root,
        `node_modules/@fontsource-variable/atkinson-hyperlegible-${file}/files/atkinson-hyperlegible-${file}-latin-wght-normal.woff2`,
      ),
      path.join(target, `${name}.woff2`),
    );
  for (const folder of ['screenshots'])
    cpSync(path.join(root, 'docs', folder), path.join(target, folder), { recursive: true });
  for (const file of ['folding.svg', 'cluster.svg'])
    cpSync(path.join(root, 'docs', file), path.join(target, file));
}

function frame(page, body, pages, titleOf) {
  const list = Object.keys(GROUPS)
    .map(
      (group) =>
        `<h2>${group}</h2><ul>${pages
          .filter((one) => one.group === group)
          .map(
            (one) =>
              `<li><a href="${nameOf(one.file)}.html"${one === page ? ' aria-current="page"' : ''}>${escape(titleOf(one))}</a></li>`,
          )
          .join('')}</ul>`,
    )
    .join('');
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">
<title>${escape(titleOf(page))} – Peatmoor</title><link rel="icon" href="../icon.svg"><link rel="stylesheet" href="docs.css"></head>
<body><header><a href="../">Peatmoor</a> <a href="index.html">Documentation</a>
<form role="search"><label for="words">Search</label> <input id="words" type="search" autocomplete="off"></form></header>
<div class="page"><nav aria-label="Pages">${list}</nav><main><div id="found" role="status"></div>${body}</main></div>
<script src="search.js"></script></body></html>
`;
}

const SEARCH = `import MiniSearch from 'minisearch';
const words = document.getElementById('words');
const found = document.getElementById('found');
let index = null;
document.querySelector('form').addEventListener('submit', (event) => event.preventDefault());
words.addEventListener('input', async () => {
  index ??= fetch('index.json').then(async (answer) =>
    MiniSearch.loadJSON(await answer.text(), { fields: ['title', 'heading', 'text'], storeFields: ['page', 'part', 'title', 'heading'] }),
  );
  const ready = await index;
  const text = words.value.trim();
  const hits = text === '' ? [] : ready.search(text, { prefix: true, fuzzy: 0.2, boost: { heading: 3, title: 2 }, combineWith: 'AND' }).slice(0, 12);
  found.replaceChildren();
  if (text === '') return;
  const head = document.createElement('p');
  head.textContent = hits.length === 0 ? 'Nothing is found for "' + text + '".' : 'Found:';
  found.append(head);
  const list = document.createElement('ul');
  for (const hit of hits) {
    const link = document.createElement('a');
    link.href = hit.page + '.html' + (hit.part ? '#' + hit.part : '');
    link.textContent = hit.heading && hit.heading !== hit.title ? hit.title + ': ' + hit.heading : hit.title;
    const line = document.createElement('li');
    line.append(link);
    list.append(line);
  }
  found.append(list);
});
`;

const STYLE = `:root{--paper:#F6F2E9;--ink:#2C2420;--soft:#6B5F57;--line:#2C242033;--faint:#2C24200F;--heather:#74487A;color-scheme:light dark}
@media (prefers-color-scheme:dark){:root{--paper:#1D1815;--ink:#EDE6DA;--soft:#B0A598;--line:#EDE6DA33;--faint:#EDE6DA12;--heather:#C9A0CE}}
@font-face{font-family:Letters;src:url(letters.woff2) format("woff2");font-weight:200 800}
@font-face{font-family:Figures;src:url(figures.woff2) format("woff2");font-weight:200 800}
body{margin:0;background:var(--paper);color:var(--ink);font:17px/1.55 Letters,"Atkinson Hyperlegible Next",system-ui,sans-serif}
a{color:inherit;text-underline-offset:3px}a:focus-visible,input:focus-visible{outline:3px solid var(--heather);outline-offset:2px}
header{display:flex;flex-wrap:wrap;gap:.5rem 1.5rem;align-items:baseline;padding:.9rem 2.75rem;border-bottom:1px solid var(--line)}
header>a{text-decoration:none}header>a:first-child{font-weight:800}form{margin-left:auto}
input{font:inherit;color:inherit;background:none;border:0;border-bottom:1px solid var(--ink);padding:.1rem .2rem;width:14rem;max-width:60vw}
.page{display:grid;grid-template-columns:15rem minmax(0,46rem);gap:3rem;padding:1.5rem 2.75rem 5rem}
nav h2{font-size:.9rem;color:var(--soft);margin:1.2rem 0 .3rem}nav ul{list-style:none;margin:0;padding:0}nav li{padding:.15rem 0}
nav a{text-decoration:none}nav a:hover{text-decoration:underline}nav [aria-current]{font-weight:700;color:var(--heather)}
h1{font-size:1.9rem;line-height:1.2;margin:.5rem 0 1rem}h2{font-size:1.3rem;margin:2rem 0 .5rem}h3{font-size:1.08rem}
pre,code{font-family:Figures,"Atkinson Hyperlegible Mono",ui-monospace,monospace;font-size:.92em}code{background:var(--faint);padding:.05em .25em;overflow-wrap:anywhere}
pre{background:var(--faint);padding:.8rem 1rem;overflow-x:auto}pre code{background:none;padding:0}
table{border-collapse:collapse;display:block;overflow-x:auto}td,th{border-top:1px solid var(--line);padding:.35rem .8rem .35rem 0;text-align:left;vertical-align:top}
img{max-width:100%;border:1px solid var(--line)}#found:not(:empty){border-bottom:1px solid var(--line);margin-bottom:1.5rem}
@media (max-width:800px){.page{grid-template-columns:minmax(0,1fr);gap:0;padding:1rem 1.1rem 4rem}header{padding:.8rem 1.1rem}main{order:-1}form{margin-left:0}}
`;
