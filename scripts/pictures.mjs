// Takes the pictures in docs/screenshots anew from a running demo (npm run demo). Needs Debian's chromium, and for
// the terminal Xvfb, xterm and ImageMagick's import. Usage: node scripts/pictures.mjs [name …]
import { execFileSync, spawn } from 'node:child_process';
import fs from 'node:fs';
import http from 'node:http';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { chromium } from 'playwright-core';

const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '..');
const target = path.join(root, 'docs/screenshots');
const base = process.env.DEMO_URL ?? 'http://127.0.0.1:8420';
const facts = JSON.parse(fs.readFileSync(path.join(root, 'data/demo/demo.json'), 'utf8'));
const wanted = process.argv.slice(2);
const wants = (name) => wanted.length === 0 || wanted.includes(name);
const sleep = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: ['--no-sandbox', '--disable-gpu', '--no-first-run', '--disable-background-networking'],
});

/** A signed-in context: wide or phone, by day or by night. */
async function signedIn({ phone = false, dark = false } = {}) {
  const context = await browser.newContext({
    viewport: phone ? { width: 390, height: 844 } : { width: 1280, height: 800 },
    colorScheme: dark ? 'dark' : 'light',
  });
  const { email, password } = facts;
  await context.request.post(`${base}/api/session`, { data: { email, password } });
  return context;
}

/** One picture of a page, after what is to be done on it first. */
async function picture(name, context, page, act = async () => undefined) {
  if (!wants(name)) return;
  const tab = await context.newPage();
  await tab.goto(page.startsWith('http') ? page : base + page);
  // On a busy machine a page may come late, and what it shows later still.
  await tab.locator('h1').first().waitFor({ timeout: 60_000 });
  if (/^\/dashboards\/\d/.test(page)) await tab.locator('[data-widget] svg').first().waitFor();
  await tab.waitForLoadState('networkidle').catch(() => undefined);
  await tab.waitForTimeout(2500);
  await act(tab);
  await tab.waitForTimeout(700);
  await tab.screenshot({ path: path.join(target, `${name}.png`) });
  await tab.close();
  process.stdout.write(`${name}\n`);
}

/** A board on its way to its first reading: its first message names a datastream that the kind does not have. */
async function newBoard(context) {
  const call = async (method, url, data) =>
    (await context.request[method](base + url, { data, headers: { origin: base } })).json();
  await context.request.delete(`${base}/api/devices/culvert`, { headers: { origin: base } });
  for (const { id, title } of await (await context.request.get(`${base}/api/kinds`)).json())
    if (/^Culvert/.test(title))
      await context.request.delete(`${base}/api/kinds/${id}`, { headers: { origin: base } });
  const { token } = await call('post', '/api/devices', {
    name: 'Culvert',
    newKind: {
      title: 'Culvert',
      intervalS: 60,
      board: 'wifi-cpp',
      streams: [{ key: 'flow', title: 'Flow', type: 'number', unit: 'l/s', min: 0, max: 40, decimals: 1 }],
    },
  });
  const report = (body) =>
    fetch(`${base}/device/report`, {
      method: 'POST',
      headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
      body: JSON.stringify(body),
    });
  await report({ n: 1, flwo: 4 });
  await report({ n: 2, flow: 'four' });
  await report({ n: 3, flow: 4.2 });
}

/** A widget and pictures on a page of another site. */
async function embedded(context) {
  if (!wants('embedded')) return;
  const call = async (method, url, data) =>
    (await context.request[method](base + url, { data, headers: { origin: base } })).json();
  const { widgets } = await call('get', '/api/dashboards/1');
  const chart = widgets.find(({ type }) => type === 'chart');
  const gauges = widgets.filter(({ type }) => type === 'gauge').slice(0, 3);
  const site = http.createServer((_request, response) => {
    response.setHeader('content-type', 'text/html; charset=utf-8');
    response.end(page);
  });
  await new Promise((resolve) => site.listen(0, resolve));
  const url = `http://localhost:${site.address().port}`;
  const share = { dashboardId: 1, sites: [url] };
  const one = await call('post', '/api/links', {
    ...share,
    title: 'Chart',
    sort: 'widget',
    widgetId: chart.id,
  });
  const all = await call('post', '/api/links', { ...share, title: 'Pictures', sort: 'dashboard' });
  const at = (address) => base + new URL(address).pathname;
  const page = `<!doctype html><title>Quillmere village</title><body style="font:18px/1.5 serif;background:#eef0f4;max-width:960px;margin:28px auto">
<h1>Quillmere village</h1><p>How wet is the moss? The volunteers measure it all day; the lines below are live.</p>
<iframe src="${at(one.address)}?frame=1&look=transparent" width="100%" height="290" style="border:0"></iframe>
<p>And in the newsletter, as pictures:</p>${gauges.map(({ id }) => `<img src="${at(all.address)}/picture.png?widget=${id}&width=220&height=240" width="220" style="margin-right:16px">`).join('')}</body>`;
  await picture('embedded', await browser.newContext({ viewport: { width: 1280, height: 800 } }), url);
  for (const { id } of [one, all])
    await context.request.delete(`${base}/api/links/${id}`, { headers: { origin: base } });
  site.close();
}

/** Commands and `peatmoor follow` in a terminal. */
async function terminal() {
  if (!wants('follow')) return;
  await inTerminal('follow', 30_000, [
    'say peatmoor set sluice-mill automatic off',
    'say peatmoor set sluice-mill opening_wanted 30',
    'say peatmoor set sluice-mill automatic on',
    'say peatmoor workspace export moss.yaml',
    "say sed -i 's/title: Peat temperature/title: Temperature of the peat/; s/id: well-9/id: well-11/' moss.yaml",
    'say peatmoor workspace plan moss.yaml --delete',
    'say peatmoor follow --for 60s',
  ]);
}

/** What some commands print in a terminal window, after a while. */
async function inTerminal(name, afterMs, commands) {
  const home = fs.mkdtempSync(path.join(os.tmpdir(), 'peatmoor-pictures-'));
  const env = { ...process.env, HOME: home, XDG_CONFIG_HOME: home, PEATMOOR_PASSWORD: facts.password };
  const cli = path.join(root, 'packages/cli/bin/peatmoor.mjs');
  execFileSync(process.execPath, [cli, 'sign-in', '--url', base, '--email', facts.email], { env });
  const screen = spawn('Xvfb', [':97', '-screen', '0', '1274x804x24'], { stdio: 'ignore' });
  await sleep(1000);
  const script = [
    'export PATH="$1:$PATH"',
    'say() { printf "\\033[1m$ %s\\033[0m\\n" "$*"; "$@"; echo; }',
    'cd "$HOME"',
    ...commands,
    'sleep 60',
  ].join('\n');
  const bin = path.join(root, 'node_modules/.bin');
  const font = ['-fa', 'DejaVu Sans Mono', '-fs', '12', '-bg', '#F6F2E9', '-fg', '#2C2420'];
  const shell = ['-geometry', '127x40+0+0', '-e', 'bash', '-c', script, 'bash', bin];
  const window = spawn('xterm', [...font, ...shell], { env: { ...env, DISPLAY: ':97' }, stdio: 'ignore' });
  await sleep(afterMs);
  execFileSync('import', ['-display', ':97', '-window', 'root', path.join(target, `${name}.png`)]);
  window.kill();
  screen.kill();
  fs.rmSync(home, { recursive: true, force: true });
  process.stdout.write(`${name}\n`);
}

fs.mkdirSync(target, { recursive: true });
const day = await signedIn();
const phone = await signedIn({ phone: true });
const night = await signedIn({ dark: true });
await picture('overview', day, '/');
await picture('dashboard', day, '/dashboards/1?period=7d', async (tab) => {
  const box = await tab.locator('.u-over').first().boundingBox();
  await tab.mouse.move(box.x + box.width * 0.6, box.y + box.height / 2);
});
await picture('dashboard-steer', day, '/dashboards/2?period=24h', async (tab) => {
  const box = await tab.locator('.u-over').first().boundingBox();
  for (const share of [0.35, 0.6]) await tab.mouse.click(box.x + box.width * share, box.y + box.height / 2);
});
await picture('dashboard-phone', phone, '/dashboards/3?period=24h');
await picture('parts', day, '/devices/new', async (tab) => {
  await tab.getByLabel('Name').fill('Bog hut');
  const field = tab.getByLabel('Add a part that is on the board');
  for (const words of ['temperature', 'lux', 'soil', 'relay']) {
    await field.fill(words);
    await tab.getByRole('option').first().click();
  }
  await field.fill('co2');
  await tab.getByRole('option').first().waitFor();
});
await picture('dashboard-editing', day, '/dashboards/1', async (tab) => {
  await tab.getByRole('button', { name: 'Edit', exact: true }).click();
});
if (wants('device')) await newBoard(day);
await picture('device', day, '/devices/culvert/connect', (tab) =>
  tab.getByRole('heading', { name: 'Connect it' }).waitFor(),
);
await day.request.delete(`${base}/api/devices/culvert`, { headers: { origin: base } });
await picture('share', day, '/dashboards/1', async (tab) => {
  await tab.getByRole('button', { name: 'Share', exact: true }).click();
  await tab.frameLocator('iframe').locator('[data-widget]').first().waitFor();
  await tab.locator('h2', { hasText: 'What a visitor will see' }).evaluate((node) => node.scrollIntoView());
  await tab.waitForTimeout(2500);
});
await embedded(day);
await picture(
  'history',
  day,
  '/history?show=dipwell-north/water_level,dipwell-south/water_level,pony-bracken/place&together=unit&period=7d',
);
await picture('arrivals', day, '/arrivals', async (tab) => {
  await tab.locator('[data-arrival]').getByRole('button').first().click();
});
await picture('rule', day, '/events/rules/2', async (tab) => {
  // Its trial, with the limit where it was crossed some times.
  await tab.getByLabel('Limit (mm)').fill('-285');
  await tab.getByLabel('Closes at (mm)').fill('-280');
  await tab.waitForTimeout(1500);
  await tab.locator('[data-trial]').evaluate((node) => node.scrollIntoView({ block: 'center' }));
});
/** An event that alerted by email and push; a demo begun afresh has its first after some minutes. */
async function alerted() {
  for (let waited = 0; waited < 300; waited += 2) {
    const events = await (await day.request.get(`${base}/api/events?limit=50`)).json();
    const event = events.find(({ alerts }) => alerts.length > 1);
    if (event !== undefined) return event;
    await sleep(2000);
  }
  throw new Error('No event has alerted anybody in five minutes: is this a running demo?');
}
const event = await alerted();
await picture('events', night, '/events');
await picture('event', day, `/events/${event.id}`);
await picture('alerts', phone, '/alerts');
await picture('people', day, '/people');
const mailPage = process.env.DEMO_MAIL_URL ?? 'http://127.0.0.1:8425';
const mails = await (await fetch(`${mailPage}/messages.json`)).json();
const withChart = mails.findIndex(
  ({ html, subject }) => html.includes('data:image') && !subject.startsWith('closed'),
);
await picture('mail', phone, `${mailPage}/mail/${Math.max(0, withChart)}`);
if (wants('mail')) {
  // The push messages of the same alerts, beside it.
  const [mail, push] = ['mail', 'push'].map((name) => path.join(target, `${name}.png`));
  const tab = await phone.newPage();
  await tab.goto(facts.pushPage ?? 'http://127.0.0.1:8426');
  await tab.screenshot({ path: push });
  await tab.close();
  execFileSync('convert', [mail, push, '+append', '+repage', mail]);
  fs.rmSync(push);
}
await browser.close();
await terminal();
