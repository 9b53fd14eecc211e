// Takes the way from the start of the service to the first live gauge as a strip of pictures, with actions and seconds counted: a
// fresh service, a person who knows nothing, and one line pasted in the place of a board. Writes docs/screenshots/first-gauge.png.
// Usage, after npm run build: node scripts/filmstrip.mjs
import { execFileSync, spawn } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { chromium } from 'playwright-core';

const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '..');
const data = fs.mkdtempSync(path.join(os.tmpdir(), 'peatmoor-strip-'));
const begin = Date.now();
const service = spawn(process.execPath, [path.join(root, 'packages/server/dist/main.js')], {
  env: {
    ...process.env,
    PEATMOOR_DATA: data,
    PEATMOOR_HTTP_PORT: '0',
    PEATMOOR_MQTT_PORT: '0',
    PEATMOOR_HOST: '127.0.0.1',
    PEATMOOR_LOG: 'silent',
  },
  stdio: ['ignore', 'pipe', 'inherit'],
});
const { httpPort } = await new Promise((resolve, reject) => {
  let said = '';
  service.stdout.on('data', (part) => {
    said += part;
    const line = said.split('\n').find((one) => one.startsWith('{"ready":true'));
    if (line !== undefined) resolve(JSON.parse(line));
  });
  service.once('exit', () => reject(new Error('the service did not start')));
});
const url = `http://127.0.0.1:${httpPort}`;

const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: ['--no-sandbox', '--disable-gpu', '--no-first-run', '--disable-background-networking'],
});
const context = await browser.newContext({ viewport: { width: 1000, height: 640 } });
const page = await context.newPage();
const frames = [];
let actions = 0;
/** One action of a person: a field filled, something pressed, a line pasted. */
const act = async (work) => {
  actions++;
  await work;
};
const frame = async (what) => {
  await page.waitForTimeout(400);
  const seconds = Math.round((Date.now() - begin) / 1000);
  frames.push({ what, seconds, actions, picture: (await page.screenshot()).toString('base64') });
  process.stdout.write(`${seconds} s, ${actions} actions: ${what}\n`);
};

try {
  await act(page.goto(url));
  await act(page.getByLabel('Your name').fill('Warden'));
  await act(page.getByLabel('Email').fill('warden@quillmere.example'));
  await act(page.getByLabel('Password').fill('sphagnum and heather'));
  await frame('The first page: name, email, password');
  await act(page.getByRole('button', { name: 'Make the account' }).click());
  await page.getByText('Name your first device').waitFor();
  await act(page.getByRole('link', { name: 'Begin' }).click());
  await act(page.getByLabel('Name').fill('Dipwell North'));
  await act(page.getByLabel('Add a part that is on the board').fill('distance'));
  await act(page.getByRole('option').first().click());
  await frame('Its name, and the part that is on the board');
  await act(page.getByRole('button', { name: 'Register and get its token' }).click());
  await page.getByText('It is shown only now').waitFor();
  await frame('Its token, shown once');
  await act(page.getByRole('button', { name: 'Connect the device' }).click());
  await page.locator('[data-proof="seen"]').waitFor();
  await frame('Lines to paste, and a starter: the page waits for the board');
  const line = (await page.locator('pre').first().innerText()).trim();
  await act(Promise.resolve(execFileSync('/bin/sh', ['-c', line], { stdio: 'ignore' })));
  await page.locator('[data-proof="done"]').waitFor();
  await frame('The line is pasted: the first reading is there');
  await act(page.getByRole('button', { name: 'Make its dashboard' }).click());
  await page.locator('[data-widget="gauge"]').first().waitFor();
  await page.waitForTimeout(800);
  await frame('A live gauge, on the desk and on the phone');
  const strip = await context.newPage();
  await strip.setViewportSize({ width: 1380, height: 100 });
  await strip.setContent(
    `<style>body{margin:0;background:#F6F2E9;color:#2C2420;font:16px "Atkinson Hyperlegible Next",sans-serif;display:grid;grid-template-columns:repeat(3,1fr);gap:22px;padding:22px}
figure{margin:0}img{width:100%;border:1px solid #2C2420;display:block}figcaption{padding-top:8px;line-height:1.3}b{font-variant-numeric:tabular-nums}</style>${frames
      .map(
        ({ what, seconds, actions: count, picture }) =>
          `<figure><img src="data:image/png;base64,${picture}"><figcaption><b>${seconds} s, ${count} actions</b> · ${what}</figcaption></figure>`,
      )
      .join('')}`,
  );
  await strip.screenshot({ path: path.join(root, 'docs/screenshots/first-gauge.png'), fullPage: true });
} finally {
  await browser.close();
  service.kill('SIGTERM');
  await new Promise((resolve) => service.once('exit', resolve));
  fs.rmSync(data, { recursive: true, force: true });
}
