import fs from 'node:fs';
import path from 'node:path';
import { WIDGET_TYPES, WIDGETS, type OptionFacts } from '@peatmoor/core';

const FILE = path.resolve(__dirname, '../../../docs/dashboards.md');
const PART = /<!-- widgets -->\n[\s\S]*<!-- end of widgets -->/;

/** What may be chosen for an option, in words. */
function optionWords(name: string, facts: OptionFacts): string {
  const usual = facts.usual === null || facts.usual === '' ? '' : `, usually ${String(facts.usual)}`;
  const among =
    facts.kind === 'choice'
      ? ` (${facts.among.join(', ')}${usual})`
      : facts.kind === 'boolean'
        ? ` (${facts.usual ? 'usually so' : 'usually not'})`
        : usual && ` (${usual.slice(2)})`;
  return `\`${name}\` ${facts.title}${among}`;
}

/** The table of widgets, made from their own facts. */
function reference(): string {
  return [
    '| widget | shows or steers | datastreams | may be chosen |',
    '|---|---|---|---|',
    ...WIDGET_TYPES.map((type) => {
      const { title, purpose, takes, controls, mostSources, options } = WIDGETS[type];
      const fits =
        mostSources === 0
          ? 'none'
          : `${controls ? 'a control: ' : mostSources > 1 ? `up to ${mostSources}: ` : ''}${takes.join(', ')}`;
      const chosen = Object.entries(options).map(([name, facts]) => optionWords(name, facts));
      return `| **${title}** \`${type}\` | ${purpose} | ${fits} | ${chosen.join('; ') || '–'} |`;
    }),
  ].join('\n');
}

it('the reference of widgets is what the catalogue says (npm run reference makes it anew)', () => {
  const text = fs.readFileSync(FILE, 'utf8');
  expect(text).toMatch(PART);
  const made = text.replace(PART, `<!-- widgets -->\n\n${reference()}\n\n<!-- end of widgets -->`);
  if (process.env.MAKE_REFERENCE !== undefined) fs.writeFileSync(FILE, made);
  else expect(text).toBe(made);
});
