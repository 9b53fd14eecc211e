import fs from 'node:fs';
import path from 'node:path';

const dist = path.resolve(__dirname, '../dist');
const page = fs.readFileSync(path.join(dist, 'index.html'), 'utf8');
const manifest = JSON.parse(fs.readFileSync(path.join(dist, '.vite/manifest.json'), 'utf8')) as Record<
  string,
  { file: string; imports?: string[] }
>;
/** The script of every page and what it fetches with it. */
const needed = (name: string): string[] => [
  manifest[name]!.file,
  ...(manifest[name]!.imports ?? []).flatMap(needed),
];
const scriptsOf = (...names: string[]): string[] => [
  ...new Set(['index.html', 'src/main.tsx', ...names].flatMap(needed)),
];
/** Bytes as they are sent; the smallest files are not compressed. */
const sent = (files: string[]): number =>
  files
    .map((file) => path.join(dist, file))
    .map((file) => fs.statSync(fs.existsSync(`${file}.br`) ? `${file}.br` : file).size)
    .reduce((sum, size) => sum + size, 0);
const textOf = (files: string[]): string =>
  files.map((file) => fs.readFileSync(path.join(dist, file), 'utf8')).join('\n');

it('the first script has the calls, and neither schemas nor formulas', () => {
  const scripts = scriptsOf();
  expect(scripts.length).toBeGreaterThan(3);
  expect(sent(scripts)).toBeLessThan(155 * 1024);
  expect(textOf(scripts)).not.toContain('EvaluationError');
  expect(textOf(scripts)).toContain('/api/devices/:device');
});

it.each(fs.readdirSync(path.join(__dirname, '../src/pages')).map((file) => path.parse(file).name))(
  'the page %s is fetched with at most 200 KB of script, and without schemas and formulas',
  (name) => {
    const scripts = scriptsOf(`src/pages/${name}.tsx`);
    expect(sent(scripts)).toBeLessThan(200 * 1024);
    expect(textOf(scripts)).not.toContain('EvaluationError');
    expect(textOf(scripts)).not.toContain('.noUnknown(');
  },
);

it('says the name of the service before any script is there', () =>
  expect(page).toContain('<p class="first">Peatmoor</p>'));
