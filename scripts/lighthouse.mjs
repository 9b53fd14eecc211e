// What Lighthouse says of sign-in, Overview and a dashboard of the demo, the median of several looks. It is large and needed for nothing
// else, so it is no package of the project: npm install --no-save lighthouse@12, then node scripts/lighthouse.mjs
import { spawn } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { chromium } from 'playwright-core';

const LOOKS = Number(process.env.LOOKS ?? 3);
/** Lighthouse's own is 4, for a computer that is faster than this kind (its documentation: throttling by the benchmark index). */
const SLOWDOWN = Number(process.env.SLOWDOWN ?? 1.5);
const HTTP = '18520';
const DEBUGGING = 19222;

const { default: lighthouse, desktopConfig } = await import('lighthouse');
const data = fs.mkdtempSync(path.join(os.tmpdir(), 'peatmoor-lighthouse-'));
const demo = spawn(process.execPath, ['packages/demo/dist/main.js'], {
  env: {
    ...process.env,
    PEATMOOR_DATA: data,
    PEATMOOR_HTTP_PORT: HTTP,
    PEATMOOR_MQTT_PORT: '18583',
    PEATMOOR_LOCAL_NAME: 'off',
    DEMO_MAIL_PORT: '0',
    DEMO_PUSH_PORT: '0',
  },
  stdio: ['ignore', 'pipe', 'inherit'],
});
const ready = await new Promise((resolve) => {
  let said = '';
  demo.stdout.on('data', (part) => {
    said += part;
    const found = /^{"ready".*}$/m.exec(said);
    if (found !== null) resolve(JSON.parse(found[0]));
  });
});
const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: ['--no-sandbox', '--disable-gpu', '--no-first-run', `--remote-debugging-port=${DEBUGGING}`],
});
try {
  const url = `http://127.0.0.1:${HTTP}`;
  const { email, password } = ready;
  const signed = await fetch(`${url}/api/session`, {
    method: 'POST',
    headers: { 'content-type': 'application/json', origin: url },
    body: JSON.stringify({ email, password }),
  });
  const Cookie = signed.headers
    .getSetCookie()
    .map((one) => one.split(';')[0])
    .join('; ');
  const [board] = await (await fetch(`${url}/api/dashboards`, { headers: { cookie: Cookie } })).json();
  const mobile = {
    extends: 'lighthouse:default',
    settings: { throttling: { rttMs: 150, throughputKbps: 1638.4, cpuSlowdownMultiplier: SLOWDOWN } },
  };
  const median = (values) => [...values].sort((a, b) => a - b)[values.length >> 1];
  for (const [name, where, headers] of [
    ['sign-in', '/', undefined],
    ['Overview', '/', { Cookie }],
    ['dashboard', `/dashboards/${board.id}`, { Cookie }],
  ])
    for (const [form, config] of [
      ['mobile', mobile],
      ['desktop', desktopConfig],
    ]) {
      const looks = [];
      for (let i = 0; i < LOOKS; i++) {
        const flags = { port: DEBUGGING, logLevel: 'error', ...(headers && { extraHeaders: headers }) };
        looks.push((await lighthouse(url + where, flags, config)).lhr);
      }
      const score = (key) => Math.round(median(looks.map(({ categories }) => categories[key].score)) * 100);
      const ms = (key) => Math.round(median(looks.map(({ audits }) => audits[key].numericValue)));
      console.log(
        `| ${name}, ${form} | ${score('performance')} | ${score('accessibility')} | ${score('best-practices')} | ${ms('first-contentful-paint')} ms | ${ms('largest-contentful-paint')} ms | ${ms('total-blocking-time')} ms | ${median(looks.map(({ audits }) => audits['cumulative-layout-shift'].numericValue)).toFixed(3)} |`,
      );
    }
} finally {
  await browser.close();
  demo.kill('SIGTERM');
  await new Promise((resolve) => demo.once('exit', resolve));
  fs.rmSync(data, { recursive: true, force: true });
}
