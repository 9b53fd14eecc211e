import { liveStore } from '../src/live/store';

// What comes live is shown at once, and what comes faster than it can be read, together.
const seen = { hidden: false };
beforeEach(() => {
  jest.useFakeTimers();
  seen.hidden = false;
  const page = globalThis as unknown as Record<string, unknown>;
  page.window = globalThis;
  page.document = seen;
  page.requestAnimationFrame = (draw: () => void) => setTimeout(draw, 16);
});
afterEach(() => {
  jest.useRealTimers();
});

let count = 0;
/** A device that no other test has. */
const device = (): string => `device-${++count}`;
const shown = (id: string, key = 'level') => liveStore.newest(id, key)?.value;

it('a figure that has not changed for a while is shown with the next frame', () => {
  const id = device();
  liveStore.readings(id, [['level', 1000, 5]]);
  expect(shown(id)).toBeUndefined();
  jest.advanceTimersByTime(20);
  expect(shown(id)).toBe(5);
});

it('one that changes all the time is drawn four times a second, with the newest of it', () => {
  const id = device();
  let drawn = 0;
  const end = liveStore.subscribe(() => drawn++);
  for (let i = 0; i < 100; i++) {
    liveStore.readings(id, [['level', 1000 + i, i]]);
    jest.advanceTimersByTime(10);
  }
  expect(drawn).toBeGreaterThanOrEqual(3);
  expect(drawn).toBeLessThanOrEqual(6);
  jest.advanceTimersByTime(400);
  expect(shown(id)).toBe(99);
  // Every reading is on the chart, whatever was drawn of the figure.
  expect(liveStore.tail(id, 'level')).toHaveLength(100);
  end();
});

it('a fast one keeps no other waiting', () => {
  const [fast, slow] = [device(), device()];
  for (let i = 0; i < 5; i++) {
    liveStore.readings(fast, [['level', 1000 + i, i]]);
    jest.advanceTimersByTime(10);
  }
  liveStore.readings(slow, [['level', 1000, 7]]);
  jest.advanceTimersByTime(20);
  expect(shown(slow)).toBe(7);
});

it('an older reading takes no newer one’s place, and stands once on the chart', () => {
  const id = device();
  liveStore.readings(id, [
    ['level', 2000, 2],
    ['level', 1000, 1],
    ['level', 2000, 2],
  ]);
  jest.advanceTimersByTime(20);
  expect(shown(id)).toBe(2);
  expect(liveStore.tail(id, 'level').map(({ at }) => at)).toEqual([2000]);
});

it('texts and places are shown, and are no points of a chart', () => {
  const id = device();
  liveStore.readings(id, [
    ['said', 1000, 'gate greased'],
    ['place', 1000, { lat: 53, lon: -2, alt: null }],
  ]);
  jest.advanceTimersByTime(20);
  expect(shown(id, 'said')).toBe('gate greased');
  expect(liveStore.tail(id, 'said')).toEqual([]);
});

it('what the page watches is said by device, and ends with the last that shows it', () => {
  const id = device();
  const [first, second] = [liveStore.show('devices', id), liveStore.show('devices', id)];
  const watched = (): readonly string[] => liveStore.watched().devices as readonly string[];
  expect(watched()).toContain(id);
  first();
  expect(watched()).toContain(id);
  second();
  expect(watched()).not.toContain(id);
});

it('no frame is waited for: it is drawn with the next one, and not seen with the one after', () => {
  const id = device();
  liveStore.readings(id, [['level', 1000, 5]]);
  jest.advanceTimersByTime(1);
  expect(shown(id)).toBe(5);
});

it('many that change together are shown in lots, what waited longest first', () => {
  const many = Array.from({ length: 50 }, device);
  const report = (value: number): void =>
    many.forEach((id) => liveStore.readings(id, [['level', 1000 + value, value]]));
  report(1);
  jest.advanceTimersByTime(60_000);
  report(2);
  const lots: number[] = [];
  const end = liveStore.subscribe(() => lots.push(many.filter((id) => shown(id) === 2).length));
  jest.advanceTimersByTime(10);
  end();
  expect(lots).toEqual([8, 16, 24, 32, 40, 48, 50]);
});

it('a page that is not seen draws nothing, and keeps the newest', () => {
  const frames: (() => void)[] = [];
  (globalThis as unknown as Record<string, unknown>).requestAnimationFrame = (draw: () => void) =>
    frames.push(draw);
  seen.hidden = true;
  const id = device();
  let drawn = 0;
  const end = liveStore.subscribe(() => drawn++);
  for (let i = 0; i < 20_000; i++) {
    liveStore.readings(id, [['level', i, i]]);
    jest.advanceTimersByTime(1);
  }
  expect([drawn, shown(id), frames.length]).toEqual([0, undefined, 1]);
  seen.hidden = false;
  frames[0]!();
  end();
  const tail = liveStore.tail(id, 'level');
  expect([drawn, shown(id), tail.length, tail[0]!.at, tail.at(-1)!.at]).toEqual([
    1, 19_999, 3000, 17_000, 19_999,
  ]);
});
