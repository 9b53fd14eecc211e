import { createSaving } from '../src/journal/saving';

beforeEach(() => jest.useFakeTimers());
afterEach(() => jest.useRealTimers());

it('writes beside something else that is written, and by itself only where nothing else is for twice as long', () => {
  let saved = 0;
  const saving = createSaving(() => Promise.resolve(void saved++), 60_000);
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
  saving.stop();
  jest.advanceTimersByTime(600_000);
  expect(saved).toBe(2);
});
