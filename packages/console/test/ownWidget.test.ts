import http from 'node:http';
import type { AddressInfo } from 'node:net';
import type { Browser, FrameLocator, Page } from 'playwright-core';
import { signedInPage, startBrowser } from '../../../test/support/browser';
import {
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

jest.setTimeout(120_000);

// Widgets of the maker's own: what they are told, what they may do, and what hostile ones cannot.
let service: TestService;
let person: Person;
let token: string;
let browser: Browser;
let page: Page;
let faults: string[];
let stranger: http.Server;
let heard = 0;
const device = 'dipwell-north';

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  ({ token } = await newDevice(person.client));
  await post(service, token, { level: -120 });
  stranger = http.createServer((_request, response) => {
    heard++;
    response.setHeader('access-control-allow-origin', '*');
    response.end('');
  });
  await new Promise<void>((resolve) => stranger.listen(0, '127.0.0.1', resolve));
  browser = await startBrowser();
  ({ page, faults } = await signedInPage(browser, service.url, person));
});
afterAll(async () => {
  await browser?.close();
  stranger?.close();
  await service?.stop();
});

const SHOWS = `<p id="text"></p><p id="outcome"></p><button onclick="want()">Pump</button>
<script>
const want = () => parent.postMessage({ kind: 'want', stream: 1, value: true, id: 7 }, '*');
addEventListener('message', ({ data }) => {
  if (data.kind === 'values') text.textContent = data.streams[0].text + ' ' + data.streams[0].state;
  else outcome.textContent = data.state + ' ' + data.id + ' ' + data.reason;
});
parent.postMessage({ kind: 'ready' }, '*');
</script>`;

async function boardWith(...codes: string[]): Promise<number> {
  const made = await person.client.call('createDashboard', {
    body: {
      title: 'Of my own',
      widgets: codes.map((code, i) => ({
        id: `own${i}`,
        type: 'own',
        title: `Mine ${i}`,
        sources: ['level', 'pump'].map((stream) => ({ device, stream })),
        options: { code },
        x: (i % 3) * 4,
        y: Math.floor(i / 3) * 4,
        w: 4,
        h: 4,
      })),
    },
  });
  return made.id;
}
const frame = (n: number, on: Page = page): FrameLocator => on.frameLocator(`iframe[title="Mine ${n}"]`);

it('is told values as they come, and steers once it was asked for', async () => {
  await page.goto(`${service.url}/dashboards/${await boardWith(SHOWS)}`);
  await frame(0)
    .getByText(/-120.* fresh/)
    .waitFor();
  await post(service, token, { level: -99 });
  await frame(0)
    .getByText(/-99.* fresh/)
    .waitFor();
  const press = () => frame(0).getByRole('button', { name: 'Pump' }).click();
  const wanted = () => person.client.call('listCommands', { params: { device } });
  await press();
  await page.getByText('May this widget steer?').waitFor();
  expect(await wanted()).toEqual([]);
  await page.getByRole('button', { name: 'Let it steer' }).click();
  await frame(0).getByText('sent 7').waitFor();
  await press();
  await until(async () => (await wanted()).length === 2, 'the second, which was not asked for');
});

it('is not let steer where that was refused, and is not asked again', async () => {
  await page.goto(`${service.url}/dashboards/${await boardWith(SHOWS + '<!-- another -->')}`);
  const before = (await person.client.call('listCommands', { params: { device } })).length;
  await frame(0).getByRole('button', { name: 'Pump' }).click();
  await page.getByText('May this widget steer?').waitFor();
  await page.keyboard.press('Escape');
  await frame(0)
    .getByText(/refused 7 You did not let/)
    .waitFor();
  await frame(0).getByRole('button', { name: 'Pump' }).click();
  expect(await page.getByText('May this widget steer?').count()).toBe(0);
  expect(await person.client.call('listCommands', { params: { device } })).toHaveLength(before);
});

it('cannot reach anything: not the service with its session, not others, not the page around it', async () => {
  const elsewhere = `http://127.0.0.1:${(stranger.address() as AddressInfo).port}/`;
  const tries = `<p id="out">0</p><script>
const fails = [];
const failed = (name) => { fails.push(name); out.textContent = fails.sort().join(' '); };
fetch('${service.url}/api/devices', { credentials: 'include' }).catch(() => failed('api'));
fetch('${elsewhere}').catch(() => failed('fetch'));
navigator.sendBeacon?.('${elsewhere}');
new Image().src = '${elsewhere}';
try { parent.document.title; } catch { failed('parent'); }
try { localStorage.length; } catch { failed('storage'); }
try { document.cookie; } catch { failed('cookie'); }
try { open('${elsewhere}') ?? failed('open'); } catch { failed('open'); }
try { top.location = '${elsewhere}'; } catch { failed('top'); }
const form = document.createElement('form'); form.action = '${elsewhere}'; document.body.append(form);
try { form.submit(); } catch {}
setTimeout(() => { location.href = '${elsewhere}?' + out.textContent; }, 1500);
</script>`;
  await page.goto(`${service.url}/dashboards/${await boardWith(tries)}`);
  await frame(0).getByText('api cookie fetch open parent storage top').waitFor();
  await page.waitForTimeout(2500);
  expect(heard).toBe(0);
  expect(page.url()).toContain('/dashboards/');
});

it('shows errors in its place, stops what floods, and leaves the others alone', async () => {
  const id = await boardWith(
    'one\n<script>\nnothing.there();\n</script>',
    '<script>setInterval(() => { for (let i = 0; i < 50; i++) parent.postMessage({ kind: "ready" }, "*"); }, 5)</script>',
    '<script>parent.postMessage({ kind: "want", stream: 99, value: {} }, "*")</script>',
    SHOWS,
    '',
  );
  await page.goto(`${service.url}/dashboards/${id}`);
  await page.getByText('nothing is not defined').waitFor();
  await page.getByText(/more than 20 messages in a second, and was stopped/).waitFor();
  await page.getByText(/Stream must be the place of a datastream of this widget, from 0 to 1/).waitFor();
  await page.getByText('Nothing of it is written yet').waitFor();
  await frame(3).getByText(/fresh/).waitFor();
  await page.getByRole('button', { name: 'Run it again' }).first().click();
  await page.getByText('nothing is not defined').waitFor();
});

it('is begun with an example in the form, and shown to visitors, who steer nothing', async () => {
  const id = await boardWith('');
  await page.goto(`${service.url}/dashboards/${id}`);
  await page.getByRole('button', { name: 'Edit', exact: true }).click();
  await page.getByRole('button', { name: 'Change Mine 0' }).click();
  await page.getByRole('button', { name: 'buttons for fixed values' }).click();
  await page.getByLabel('HTML and script').fill(SHOWS);
  await page.getByRole('dialog').getByRole('button', { name: 'Change it' }).click();
  await page.getByRole('button', { name: 'Done' }).click();
  await frame(0)
    .getByText(/-\d+.* (fresh|old)/)
    .waitFor();
  const { address } = await person.client.call('createLink', {
    body: { title: 'x', sort: 'dashboard', dashboardId: id },
  });
  const visitor = await (await browser.newContext({ serviceWorkers: 'block' })).newPage();
  await visitor.goto(service.url + new URL(address).pathname);
  await frame(0, visitor)
    .getByText(/-\d+.* (fresh|old)/)
    .waitFor();
  await frame(0, visitor).getByRole('button', { name: 'Pump' }).click();
  await frame(0, visitor)
    .getByText(/refused 7/)
    .waitFor();
  await visitor.close();
});

it('had no fault of its own on any page', () =>
  expect(new Set(faults)).toEqual(new Set(['nothing is not defined'])));
