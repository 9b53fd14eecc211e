import fs from 'node:fs';
import path from 'node:path';
import {
  AHEAD_MS,
  LONGEST_TEXT,
  MOST_IMAGE_BYTES,
  MOST_VALUES,
  OLDEST_MS,
  REFUSAL_HINTS,
  REPORT_TYPES,
  RESERVED_NAMES,
  STARTERS,
  UNITS,
  VALUE_TYPES,
} from '@peatmoor/core';

const FILE = path.resolve(__dirname, '../../../docs/wire.md');

/** Parts of the wire reference that are made from the code's own lists. */
const PARTS: Record<string, () => string> = {
  refusals: () =>
    [
      '| reason | what it says |',
      '|---|---|',
      ...Object.entries(REFUSAL_HINTS).map(
        ([reason, hint]) => `| <a id="${reason}"></a>\`${reason}\` | ${hint} |`,
      ),
    ].join('\n'),
  types: () => VALUE_TYPES.map((type) => `\`${type}\``).join(', '),
  'content types': () => REPORT_TYPES.map((type) => `\`${type}\``).join(', '),
  'reserved names': () => [...RESERVED_NAMES].map((name) => `\`${name}\``).join(', '),
  bounds: () =>
    [
      `- values in one message: ${MOST_VALUES.toLocaleString('en')}`,
      `- a text: ${LONGEST_TEXT.toLocaleString('en')} bytes; an image: ${MOST_IMAGE_BYTES / 1024} KB`,
      `- times: from ${Math.floor(OLDEST_MS / (365.25 * 86_400_000))} years back to ${AHEAD_MS / 60_000} minutes ahead`,
    ].join('\n'),
  units: () => {
    const quantities = new Map<string, string[]>();
    for (const { code, shown, quantity } of UNITS) {
      const kind = quantity.split(',')[0]!;
      const text = shown === '' || shown === code ? `\`${code}\`` : `\`${code}\` (${shown})`;
      quantities.set(kind, [...(quantities.get(kind) ?? []), text]);
    }
    return [
      '| quantity | units |',
      '|---|---|',
      ...[...quantities].map(([kind, codes]) => `| ${kind} | ${codes.join(', ')} |`),
    ].join('\n');
  },
  starters: () =>
    Object.entries(STARTERS)
      .map(([sort, { title }]) => `- \`${sort}\`: ${title}`)
      .join('\n'),
};

/** The text with every part made anew, between its marks. */
function withParts(text: string): string {
  return Object.entries(PARTS).reduce(
    (whole, [name, make]) =>
      whole.replace(
        new RegExp(`(<!-- made: ${name} -->\\n)[\\s\\S]*?(\\n<!-- end -->)`),
        (_all, start: string, end: string) => `${start}\n${make()}\n${end}`,
      ),
    text,
  );
}

it('the wire reference says what the code’s lists say (npm run reference makes it anew)', () => {
  const text = fs.readFileSync(FILE, 'utf8');
  for (const name of Object.keys(PARTS)) expect(text).toContain(`<!-- made: ${name} -->`);
  if (process.env.MAKE_REFERENCE !== undefined) fs.writeFileSync(FILE, withParts(text));
  else expect(text).toBe(withParts(text));
});

it('every refusal has a hint that ends as a sentence', () => {
  for (const hint of Object.values(REFUSAL_HINTS)) expect(hint).toMatch(/^[A-Z].*\.$/);
});
