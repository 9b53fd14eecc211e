import { createSaving } from '../src/journal/saving';

beforeEach(() => jest.useFakeTimers());
afterEach(() => jest.useRealTimers());

it('writes beside something else that is written, and by itself only where nothing else is for twice as long', () => {
  let saved = 0;
  let everyMs = 60_000;
  const saving = createSaving(
    () => Promise.resolve(void saved++),
    () => everyMs,
  );
  saving.beside();
  expect(saved).toBe(0);
  jest.advanceTimersByTime(61_000);
  expect(saved).toBe(0);
  saving.beside();
  saving.beside();
  expect(saved).toBe(1);
  jest.advanceTimersByTime(119_000);
  expect(saved).toBe(1);
  jest.advanceTimersByTime(16_000);
  expect(saved).toBe(2);
  everyMs = 700;
  jest.advanceTimersByTime(2000);
  expect(saved).toBe(3);
  saving.stop();
  jest.advanceTimersByTime(600_000);
  expect(saved).toBe(3);
});
