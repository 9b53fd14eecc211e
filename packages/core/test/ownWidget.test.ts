import vm from 'node:vm';
import { LIGHT_INKS, ownPage, OWN_THEME, readFromOwn, WIDGETS, type OwnTheme } from '@peatmoor/core';
import { OWN_EXAMPLES } from '../src/dashboards/own/examples';

const inks: Record<string, string> = { ...LIGHT_INKS };
const theme = {
  scheme: 'light',
  ...Object.fromEntries(OWN_THEME.map((name) => [name, inks[name]])),
} as OwnTheme;

it('reads what a widget of one’s own says, whatever it sends', () => {
  expect(readFromOwn({ kind: 'ready', more: 1 }, 2)).toEqual({ kind: 'ready' });
  expect(readFromOwn({ kind: 'want', stream: 1, value: 40, id: 'a' }, 2)).toEqual({
    kind: 'want',
    stream: 1,
    value: 40,
    id: 'a',
  });
  expect(readFromOwn({ kind: 'want', stream: 0, value: 'x', id: {} }, 1)).not.toHaveProperty('id');
  for (const wrong of [
    null,
    'ready',
    {},
    { kind: 'constructor' },
    { kind: 'want', stream: 2, value: 1 },
    { kind: 'want', stream: '0', value: 1 },
    { kind: 'want', stream: -1, value: 1 },
    { kind: 'want', stream: 0, value: NaN },
    { kind: 'want', stream: 0, value: { at: 1 } },
    { kind: 'want', stream: 0, value: 'x'.repeat(5000) },
  ])
    expect(readFromOwn(wrong, 2)).toHaveProperty('wrong');
  expect(readFromOwn({ kind: 'error', text: 'x'.repeat(9999) }, 1)).toEqual({
    kind: 'error',
    text: 'x'.repeat(300),
  });
});

it('puts the colours and what tells of errors before the page', () => {
  const page = ownPage('<p>\nmine', theme);
  expect(page.split('\n')).toHaveLength(2);
  expect(page).toContain(`--ink:${LIGHT_INKS.ink}`);
  expect(page).toContain('color-scheme:light');
});

it('offers examples that are programs, and fit', () => {
  for (const { text } of OWN_EXAMPLES) {
    expect(text.length).toBeLessThan(WIDGETS.own.options.code!.kind === 'text' ? 20_000 : 0);
    const [, script] = /<script>([^]*)<\/script>/.exec(text)!;
    expect(() => new vm.Script(script!)).not.toThrow();
  }
});
