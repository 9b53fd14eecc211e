import type { Browser, BrowserContext, Page } from 'playwright-core';
import type { Client } from '@peatmoor/contract';
import { signedInPage, startBrowser } from '../../../test/support/browser';
import { startPrompt, type BoardPrompt } from '../../../test/support/boardPrompt';
import { newPerson, post, startService, until, type TestService } from '../../../test/support/service';

jest.setTimeout(120_000);

let service: TestService;
let client: Client;
let browser: Browser;
let context: BrowserContext;
let page: Page;
let faults: string[];
let board: BoardPrompt;
let token: string;

beforeAll(async () => {
  service = await startService();
  const person = await newPerson(service);
  ({ client } = person);
  await client.call('createDevice', {
    body: {
      name: 'Dipwell North',
      newKind: {
        title: 'Dipwell',
        board: 'micropython',
        streams: [{ key: 'level', title: 'Level', type: 'number', unit: 'mm' }],
      },
    },
  });
  browser = await startBrowser();
  ({ page, context, faults } = await signedInPage(browser, service.url, person));
  board = startPrompt({ 'main.py': 'mine' });
  // The stand-in of the browser's serial port: what the page writes is typed on the board, and back.
  await context.exposeFunction('typeOnBoard', (text: string) => board.type(Buffer.from(text, 'latin1')));
  await context.addInitScript(() => {
    const all = window as unknown as {
      typeOnBoard(text: string): Promise<void>;
      fromBoard(text: string): void;
      chosen: boolean;
    };
    all.chosen = false;
    let give: (bytes: Uint8Array) => void = () => undefined;
    all.fromBoard = (text) => give(Uint8Array.from(text, (letter) => letter.charCodeAt(0)));
    const port = {
      readable: null as ReadableStream | null,
      writable: null as WritableStream | null,
      async open() {
        port.readable = new ReadableStream({
          start: (controller) => {
            give = (bytes) => controller.enqueue(bytes);
          },
        });
        port.writable = new WritableStream({
          write: (bytes: Uint8Array) => all.typeOnBoard(String.fromCharCode(...bytes)),
        });
      },
      async close() {
        give = () => undefined;
      },
    };
    Object.defineProperty(navigator, 'serial', {
      value: {
        async requestPort() {
          if (!all.chosen) throw new DOMException('No port selected by the user.', 'NotFoundError');
          return port;
        },
      },
    });
  });
  let sending = Promise.resolve();
  board.onSent = (bytes) => {
    sending = sending
      .then(() =>
        page.evaluate(
          (text) => (window as unknown as { fromBoard(text: string): void }).fromBoard(text),
          bytes.toString('latin1'),
        ),
      )
      .catch(() => undefined);
  };
});
afterAll(async () => {
  await browser?.close();
  await board?.stop();
  await service?.stop();
});

it('puts the starter on a plugged-in board, and shows what it prints beside the proof', async () => {
  await page.goto(`${service.url}/devices/dipwell-north/connect`);
  await page.getByLabel('Your Wi-Fi').fill('moss');
  const put = page.getByRole('button', { name: 'Put it on a plugged-in board' });
  await put.click();
  // Nobody chose a port: nothing is said, and it can be tried again.
  await until(async () => put.isEnabled(), 'the button');
  expect(await page.getByRole('alert').count()).toBe(0);
  await page.evaluate(() => ((window as unknown as { chosen: boolean }).chosen = true));
  await put.click();
  await page.getByText(/files are on the board, and it starts\. main\.py on it stayed as it was/).waitFor();
  await page.getByText('It has no umqtt.simple').waitFor();
  await page.locator('[data-board-output]').getByText('Starting as the board').waitFor();
  const settings = (await board.file('settings.py'))!;
  expect(settings).toContain('WIFI_NAME = "moss"');
  // A token of its own, as the page knew none.
  token = /DEVICE_TOKEN = "(moor\w+)"/.exec(settings)![1]!;
  expect(await board.file('main.py')).toBe('mine');
  // The page is the proof view too.
  await post(service, token, { level: -77 });
  await page.getByText('first reading').first().waitFor();
  await page.getByRole('button', { name: 'Let go of the port' }).click();
  await until(async () => (await page.locator('[data-board-output]').count()) === 0, 'the port let go');
  await page.getByLabel('Replace my own main.py on it too').check();
  await put.click();
  await page.getByText(/files are on the board/).waitFor();
  expect(await board.file('main.py')).toContain('FIRMWARE_VERSION');
  expect(faults).toEqual([]);
});
