import { liveStore } from '../src/live/store';

// The page's window, by hand: what it plans, and whether it is seen.
let planned: [at: number, work: () => void][] = [];
let frames: (() => void)[] = [];
let now = 1_000_000;
const page = { hidden: false };
const STREAM = 'level';

beforeAll(() => {
  const scope = globalThis as unknown as Record<string, unknown>;
  scope.window = { setTimeout: (work: () => void, ms: number) => planned.push([now + ms, work]) };
  scope.clearTimeout = (id: number) => planned.splice(id - 1, 1);
  scope.document = page;
  scope.requestAnimationFrame = (work: () => void) => frames.push(work);
  jest.spyOn(performance, 'now').mockImplementation(() => now);
});
afterAll(() => jest.restoreAllMocks());
beforeEach(() => {
  planned = [];
  frames = [];
  // Long after what was told before.
  now += 60_000;
});

/** Lets time pass, with what was planned for it. */
function pass(ms: number): void {
  const end = now + ms;
  for (;;) {
    const next = planned.filter(([at]) => at <= end).sort(([a], [b]) => a - b)[0];
    if (next === undefined) break;
    planned.splice(planned.indexOf(next), 1);
    now = Math.max(now, next[0]);
    next[1]();
  }
  now = end;
}
const shown = (device: string): unknown => liveStore.newest(device, STREAM)?.value;
const report = (device: string, at: number, value: number): void =>
  liveStore.readings(device, [[STREAM, at, value]]);

it('what was quiet is shown with the next turn, and no frame is waited for', () => {
  report('one', 1, 5);
  expect(shown('one')).toBeUndefined();
  pass(0);
  expect([shown('one'), frames.length]).toEqual([5, 0]);
});

it('what comes fast is shown four times a second, the newest each time', () => {
  let told = 0;
  const end = liveStore.subscribe(() => told++);
  for (let i = 0; i < 100; i++) {
    report('two', i, i);
    pass(20);
  }
  end();
  expect(told).toBeGreaterThanOrEqual(7);
  expect(told).toBeLessThanOrEqual(11);
  pass(300);
  expect(shown('two')).toBe(99);
});

it('many at once are shown in lots, what waited longest first, and all of them soon', () => {
  const many = Array.from({ length: 50 }, (_, i) => `many ${i}`);
  for (const device of many) report(device, 1, 1);
  const lots: number[] = [];
  const count = (): number => many.filter((device) => shown(device) === 2).length;
  pass(60_000);
  for (const device of many) report(device, 2, 2);
  const end = liveStore.subscribe(() => lots.push(count()));
  pass(0);
  end();
  expect(lots).toEqual([20, 40, 50]);
});

it('a page that is not seen draws nothing, and keeps what is newest', () => {
  page.hidden = true;
  let told = 0;
  const end = liveStore.subscribe(() => told++);
  for (let i = 0; i < 20_000; i++) {
    report('hidden', i, i);
    pass(1);
  }
  expect([told, shown('hidden'), frames.length]).toEqual([0, undefined, 1]);
  page.hidden = false;
  frames[0]!();
  end();
  const tail = liveStore.tail('hidden', STREAM);
  expect([told, shown('hidden'), tail.length, tail[0]!.at, tail.at(-1)!.at]).toEqual([
    1, 19_999, 3000, 17_000, 19_999,
  ]);
});
