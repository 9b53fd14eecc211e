import type { Express } from 'express';
import { PROBLEMS, type ProblemCode } from '@peatmoor/contract';
import { ProblemError } from '../problems';
import { escapeText as escape } from './escape';

/** The pages that a problem's `type` leads to: what it means, and what to do. */
export function problemPages(app: Express, base: string): void {
  app.get('/problems', (_request, response) => {
    const items = Object.entries(PROBLEMS).map(
      ([code, { status, title, meaning }]) =>
        `<dt><a href="${base}/problems/${code}">${escape(title)}</a> <small>${status}</small></dt><dd>${escape(meaning)}</dd>`,
    );
    response.type('html').send(page('What the service may answer', `<dl>${items.join('\n')}</dl>`));
  });
  app.get('/problems/:code', (request, response) => {
    const { code } = request.params;
    if (!Object.hasOwn(PROBLEMS, code))
      throw new ProblemError('not-found', 'There is no such problem. All of them are at /problems.');
    const { status, title, meaning, remedy } = PROBLEMS[code as ProblemCode];
    response
      .type('html')
      .send(
        page(
          title,
          `<p>${escape(meaning)}</p><p><b>What to do.</b> ${escape(remedy)}</p><p><small>Status ${status}, type <code>/problems/${code}</code></small></p><p><a href="${base}/problems">All of them</a></p>`,
        ),
      );
  });
}

function page(title: string, body: string): string {
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>${escape(title)} · Peatmoor</title>
<style>
:root { color-scheme: light dark }
body { font: 17px/1.5 sans-serif; max-width: 40em; margin: 2.5em auto; padding: 0 1em; background: #f6f2e9; color: #2c2420 }
a { color: #2b5f6e } dt { margin-top: 1em; font-weight: bold } dd { margin: 0 } h1 { font-size: 1.4em; border-bottom: 1px solid; padding-bottom: .3em }
@media (prefers-color-scheme: dark) { body { background: #1d1815; color: #ede6da } a { color: #8fc1cc } }
</style></head><body><h1>${escape(title)}</h1>${body}</body></html>`;
}
