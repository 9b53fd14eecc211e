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
const scripts = [...new Set(['index.html', 'src/main.tsx'].flatMap(needed))];

it('fetches no more than 200 KB of compressed script before the first page, and neither schemas nor formulas', () => {
  expect(scripts.length).toBeGreaterThan(3);
  const bytes = scripts.reduce((sum, file) => sum + fs.statSync(path.join(dist, `${file}.br`)).size, 0);
  expect(bytes).toBeLessThan(200 * 1024);
  const text = scripts.map((file) => fs.readFileSync(path.join(dist, file), 'utf8')).join('\n');
  expect(text).not.toContain('.noUnknown(');
  expect(text).not.toContain('EvaluationError');
  expect(text).toContain('/api/devices/:device');
});

it('says the name of the service before any script is there', () =>
  expect(page).toContain('<p class="first">Peatmoor</p>'));
