// Builds every program into its dist folder: node programs with esbuild, the console with Vite.
import { createHash } from 'node:crypto';
import { execFileSync } from 'node:child_process';
import {
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { brotliCompressSync, gzipSync } from 'node:zlib';
import { makeDocs } from './docs.mjs';

const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '..');
const packages = readdirSync(path.join(root, 'packages'));
const entries = packages.flatMap((name) => {
  const folder = path.join(root, 'packages', name, 'src');
  const programs =
    {
      standins: ['mailProgram.ts'],
      server: ['main.ts', 'tool.ts'],
      demo: ['main.ts', 'clusterMain.ts', 'clusterProof.ts', 'clusterCost.ts', 'upgradeProof.ts'],
      bench: ['main.ts', 'many.ts', 'small.ts', 'abuse.ts', 'disk.ts', 'pages.ts', 'alerts.ts', 'soak.ts'],
    }[name] ?? [];
  return programs.map((file) => path.join(folder, file)).filter(existsSync);
});

/** A mark of all sources as they are now: names, sizes and times. */
function sourceMark() {
  const hash = createHash('sha256');
  const walk = (folder) => {
    for (const entry of readdirSync(folder, { withFileTypes: true })) {
      const file = path.join(folder, entry.name);
      if (entry.isDirectory()) walk(file);
      else {
        const { size, mtimeMs } = statSync(file);
        hash.update(`${file}:${size}:${mtimeMs}\n`);
      }
    }
  };
  for (const name of packages) {
    if (existsSync(path.join(root, 'packages', name, 'src'))) walk(path.join(root, 'packages', name, 'src'));
    hash.update(readFileSync(path.join(root, 'packages', name, 'package.json')));
  }
  if (existsSync(path.join(root, 'docs'))) walk(path.join(root, 'docs'));
  for (const name of [
    'packages/console/index.html',
    'packages/console/vite.config.ts',
    'scripts/build.mjs',
    'scripts/docs.mjs',
    'README.md',
  ])
    if (existsSync(path.join(root, name))) hash.update(readFileSync(path.join(root, name)));
  return hash.digest('hex');
}

/** Puts a compressed copy (Brotli and gzip) beside each file that gains by it, so that serving costs nothing. */
function compressFiles(folder) {
  for (const entry of readdirSync(folder, { withFileTypes: true, recursive: true })) {
    const file = path.join(entry.parentPath ?? entry.path, entry.name);
    if (!entry.isFile() || !/\.(js|css|html|svg|json|webmanifest|txt)$/.test(file)) continue;
    const bytes = readFileSync(file);
    if (bytes.length < 600) continue;
    writeFileSync(`${file}.br`, brotliCompressSync(bytes));
    writeFileSync(`${file}.gz`, gzipSync(bytes, { level: 9 }));
  }
}

/**
 * The service worker: it keeps the console's files and the newest answers, so that without the service the pages open all the
 * same and show the last values with their age. What is asked is always asked of the service first; nothing is ever sent later.
 */
async function makeWorker(folder) {
  // It leaves what it works with where temporary files go: in a folder of this build, which is removed.
  const before = process.env.TMPDIR;
  const temporary = mkdtempSync(path.join(tmpdir(), 'peatmoor-build-'));
  process.env.TMPDIR = temporary;
  const { generateSW } = await import('workbox-build');
  const { warnings } = await generateSW({
    globDirectory: folder,
    globPatterns: ['index.html', 'icon.svg', 'assets/*.{js,css}', 'assets/*-latin-wght-*.woff2'],
    swDest: path.join(folder, 'worker.js'),
    importScripts: ['push.js'],
    inlineWorkboxRuntime: true,
    sourcemap: false,
    mode: 'production',
    skipWaiting: true,
    clientsClaim: true,
    cleanupOutdatedCaches: true,
    navigateFallback: 'index.html',
    // The page of a share link says by its own headers who may frame it; links of mails are looked up.
    navigateFallbackDenylist: [
      /^(?:\/[\w.-]+)*\/(api|device|problems|health|shared|docs|own-widget)(\/|$)/,
      /\.\w+$/,
    ],
    runtimeCaching: [
      {
        urlPattern: ({ url, request }) =>
          request.method === 'GET' &&
          // What a visitor is shown is nobody else's answer.
          !request.headers.has('authorization') &&
          /\/api\/(me|status|devices|kinds|dashboards|rules|events|timetables|overview)(\/|$)/.test(
            url.pathname,
          ) &&
          !/\/(export|images|arrivals|tokens)/.test(url.pathname),
        handler: 'NetworkFirst',
        options: {
          cacheName: 'answers',
          networkTimeoutSeconds: 10,
          expiration: { maxEntries: 150 },
          cacheableResponse: { statuses: [200] },
        },
      },
    ],
  });
  for (const warning of warnings) process.stderr.write(`${warning}\n`);
  rmSync(temporary, { recursive: true, force: true });
  if (before === undefined) delete process.env.TMPDIR;
  else process.env.TMPDIR = before;
}

/** The bundled font as drawings on the service need it: the same letters, unpacked (OpenType). */
async function makeFont() {
  const { decompress } = (await import('wawoff2')).default;
  const folder = path.join(root, 'packages/server/assets');
  const font = path.join(
    root,
    'node_modules/@fontsource-variable/atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-wght-normal.woff2',
  );
  mkdirSync(folder, { recursive: true });
  writeFileSync(path.join(folder, 'atkinson.ttf'), await decompress(readFileSync(font)));
}

/**
 * The command line and the typed client as one package without dependencies, which the service serves: on a network without the
 * internet too, `npm install -g <address>/client.tgz` puts it on a computer.
 */
async function makeClient(esbuild, target) {
  const folder = path.join(root, 'packages/cli/dist/client');
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder, { recursive: true });
  const shared = {
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    minifySyntax: true,
    minifyWhitespace: true,
    legalComments: 'none',
    // What was written for the older way of modules finds it here.
    banner: {
      js: "import { createRequire as makeRequire__ } from 'node:module'; const require = makeRequire__(import.meta.url);",
    },
    logLevel: 'error',
  };
  await esbuild.build({
    ...shared,
    // Has a part for each system: where it is not beside this file, the system's own way to a port is taken.
    external: ['serialport'],
    entryPoints: [path.join(root, 'packages/cli/src/main.ts')],
    outfile: path.join(folder, 'peatmoor.js'),
  });
  await esbuild.build({
    ...shared,
    entryPoints: [path.join(root, 'packages/contract/src/client.ts')],
    outfile: path.join(folder, 'client.js'),
  });
  const { rollup } = await import('rollup');
  const { dts } = await import('rollup-plugin-dts');
  const at = (name) => [path.join(root, 'packages', name, 'src/index.ts')];
  const types = await rollup({
    input: path.join(root, 'packages/contract/src/client.ts'),
    plugins: [
      dts({
        includeExternal: ['yup'],
        tsconfig: path.join(root, 'tsconfig.json'),
        compilerOptions: { paths: { '@peatmoor/core': at('core'), '@peatmoor/contract': at('contract') } },
      }),
    ],
  });
  await types.write({ file: path.join(folder, 'client.d.ts') });
  await types.close();
  const { version, license } = JSON.parse(readFileSync(path.join(root, 'packages/cli/package.json'), 'utf8'));
  const description = 'The command line and the typed client of a Peatmoor service';
  writeFileSync(
    path.join(folder, 'package.json'),
    JSON.stringify({
      name: 'peatmoor-client',
      version,
      description,
      license,
      type: 'module',
      bin: { peatmoor: 'peatmoor.js' },
      exports: { '.': { types: './client.d.ts', default: './client.js' } },
      engines: { node: '>=20' },
    }),
  );
  writeFileSync(
    path.join(folder, 'README.md'),
    `# ${description}\n\n    peatmoor --help\n\n    import { createClient } from 'peatmoor-client';\n`,
  );
  const [made] = JSON.parse(
    execFileSync('npm', ['pack', '--json', '--silent', '--ignore-scripts', '--offline'], {
      cwd: folder,
      encoding: 'utf8',
      stdio: ['ignore', 'pipe', 'ignore'],
    }),
  );
  writeFileSync(target, readFileSync(path.join(folder, made.filename)));
}

/** npm packages stay outside the bundles; only our own packages are bundled. */
function outsidePackages() {
  const names = new Set();
  for (const name of packages) {
    const { dependencies = {} } = JSON.parse(
      readFileSync(path.join(root, 'packages', name, 'package.json'), 'utf8'),
    );
    for (const one of Object.keys(dependencies)) if (!one.startsWith('@peatmoor/')) names.add(one);
  }
  return [...names];
}

export async function buildIfChanged(say) {
  const markFile = path.join(root, 'node_modules/.peatmoor-build');
  const mark = sourceMark();
  const built =
    entries.every((entry) => existsSync(entry.replace('/src/', '/dist/').replace(/\.ts$/, '.js'))) &&
    existsSync(path.join(root, 'packages/cli/dist/client/peatmoor.js')) &&
    existsSync(path.join(root, 'packages/console/dist/index.html'));
  if (built && existsSync(markFile) && readFileSync(markFile, 'utf8') === mark) return;
  say('Building …');
  const esbuild = await import('esbuild');
  await esbuild.build({
    entryPoints: entries,
    outdir: path.join(root, 'packages'),
    outbase: path.join(root, 'packages'),
    entryNames: '[dir]/../dist/[name]',
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    sourcemap: 'linked',
    external: outsidePackages(),
    logLevel: 'warning',
  });
  await makeFont();
  if (existsSync(path.join(root, 'packages/console/vite.config.ts'))) {
    const vite = await import('vite');
    await vite.build({ root: path.join(root, 'packages/console'), logLevel: 'warn' });
    await makeWorker(path.join(root, 'packages/console/dist'));
    await makeDocs(root, path.join(root, 'packages/console/dist/docs'), esbuild);
    compressFiles(path.join(root, 'packages/console/dist'));
    await makeClient(esbuild, path.join(root, 'packages/console/dist/client.tgz'));
  }
  writeFileSync(markFile, sourceMark());
}

if (process.argv[1] === fileURLToPath(import.meta.url))
  await buildIfChanged((text) => process.stdout.write(`${text}\n`));
