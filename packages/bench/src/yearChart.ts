import path from 'node:path';
import { fileURLToPath } from 'node:url';
import type { BrowserContext, Page } from 'playwright-core';
import { createAccount, createLog, readConfig, startService } from '@peatmoor/server';
import { fillYear } from './history';
import { median, pause } from './measure';
import { ACCOUNT, startOurs } from './service';

/** Pages on which the year is opened, each with nothing kept. */
const LOADS = 7;
/** Moves of the pointer while the year is dragged, and how far each goes, in px. */
const MOVES = 240;
const MOVE_PX = 3;

/**
 * A year of a reading every 5 s in a chart of the console: how long it takes from the press on "1 y" to the frame in which it is drawn, and
 * how many frames a second there are while it is dragged. Says so in two lines.
 */
export async function yearInBrowser(
  dataFolder: string,
  signedIn: (url: string) => Promise<BrowserContext>,
  say: (text: string) => void,
): Promise<void> {
  const config = readConfig({
    PEATMOOR_DATA: dataFolder,
    PEATMOOR_HTTP_PORT: '0',
    PEATMOOR_MQTT_PORT: '0',
    PEATMOOR_LOG: 'warn',
  });
  const filling = await startService({
    config,
    log: createLog(config),
    consoleFolder: path.resolve(path.dirname(fileURLToPath(import.meta.url)), '../../console/dist'),
    prepare: async (store) => fillYear(store, (await createAccount(store, ACCOUNT)).workspaceId),
  });
  await filling.stop();
  const ours = await startOurs(dataFolder);
  try {
    const url = `http://127.0.0.1:${ours.httpPort}`;
    const opened: number[] = [];
    let moved: Frames | undefined;
    for (let n = 0; n < LOADS; n++) {
      const context = await signedIn(url);
      const page = await context.newPage();
      await page.goto(`${url}/history?show=year/level&period=5min`);
      await page.locator('[data-widget="chart"] canvas').waitFor();
      await pause(1500);
      opened.push(await opensYear(page));
      if (n === LOADS - 1) moved = await dragged(page);
      await context.close();
    }
    const { perSecond, slowMs } = moved!;
    say(
      `\nA year of a reading every 5 s, from the press to its lines on the screen: ${median(opened).toFixed(0)} ms (${Math.min(...opened).toFixed(0)} to ${Math.max(...opened).toFixed(0)}; aim 300: ${median(opened) <= 300 ? 'reached' : 'falls short'}).`,
    );
    say(
      `Dragged, ${perSecond.toFixed(0)} frames a second, 95 of 100 within ${slowMs.toFixed(0)} ms of the one before (aim 50 a second: ${perSecond >= 50 ? 'reached' : 'falls short'}).`,
    );
  } finally {
    await ours.stop();
  }
}

/** From the press on "1 y" to the frame after the one in which nearly all rows of the chart's table have a reading, in ms. */
const opensYear = (page: Page): Promise<number> =>
  page.evaluate(`new Promise((resolve) => {
    const start = performance.now();
    [...document.querySelectorAll('[role="radio"]')].find(({ textContent }) => textContent.trim() === '1 y').click();
    const look = () => {
      const cells = [...document.querySelectorAll('[data-widget="chart"] td')];
      if (cells.filter((cell) => /\\d/.test(cell.textContent)).length >= 20)
        requestAnimationFrame(() => resolve(performance.now() - start));
      else requestAnimationFrame(look);
    };
    look();
  })`);

interface Frames {
  perSecond: number;
  slowMs: number;
}

/** Frames while a chart is dragged to and fro. */
async function dragged(page: Page): Promise<Frames> {
  const box = (await page.locator('[data-widget="chart"] .u-over').boundingBox())!;
  const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + 20, y);
  await page.evaluate(`(() => {
    window.frames_ = [];
    const note = (at) => { window.frames_.push(at); window.noting_ = requestAnimationFrame(note); };
    window.noting_ = requestAnimationFrame(note);
  })()`);
  for (let n = 0; n < MOVES; n++) {
    const along = n % 80 < 40 ? n % 40 : 40 - (n % 40);
    await page.mouse.move(x + 20 + along * MOVE_PX, y);
  }
  const times: number[] = await page.evaluate(`(cancelAnimationFrame(window.noting_), window.frames_)`);
  await page.mouse.up();
  const apart = times
    .slice(1)
    .map((at, i) => at - times[i]!)
    .sort((a, b) => a - b);
  return {
    perSecond: ((times.length - 1) / (times.at(-1)! - times[0]!)) * 1000,
    slowMs: apart[Math.floor(apart.length * 0.95)]!,
  };
}
