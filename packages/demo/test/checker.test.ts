import fc from 'fast-check';
import { checkWishes, seeded, shuffled, type Recorded, type Wish } from '../src/cluster/checker';

const wish = (
  value: number,
  began: number,
  ended: number | null,
  outcome: Wish['outcome'] = 'taken',
): Wish => ({
  value,
  began,
  ended,
  outcome,
  until: began + 10_000,
});
const done = (value: number, at: number): Recorded => ({ value, at });

describe('a record of a control, held against the calls that led to it', () => {
  it('is right where calls overlap, whichever came first', () => {
    const wishes = [wish(1, 0, 100), wish(2, 50, 90), wish(3, 200, null, 'unknown')];
    expect(checkWishes(wishes, [done(1, 60), done(2, 80)])).toEqual([]);
    expect(checkWishes(wishes, [done(2, 60), done(1, 80), done(3, 250)])).toEqual([]);
  });
  it('says what is lost, doubled, refused, of nobody, too late, and older after newer', () => {
    expect(checkWishes([wish(1, 0, 1)], [])).toEqual(['1 was acknowledged, and is LOST.']);
    expect(checkWishes([wish(1, 0, 9)], [done(1, 1), done(1, 2)])).toEqual(['1 was done TWICE.']);
    expect(checkWishes([wish(1, 0, 9, 'refused')], [done(1, 1)])[0]).toMatch(/REFUSED/);
    expect(checkWishes([], [done(1, 1)])[0]).toMatch(/NOBODY/);
    expect(checkWishes([wish(1, 0, null, 'unknown')], [done(1, 20_000)])[0]).toMatch(/10000 ms TOO LATE/);
    expect(checkWishes([wish(1, 0, 10), wish(2, 20, 30)], [done(2, 25), done(1, 40)])).toEqual([
      '1 took the place of 2, which was wanted LATER (20 ms; its answer: taken).',
    ]);
  });
  it('nothing that was held up stands after what was wanted seconds later, though nobody answered it', () => {
    const wishes = [wish(1, 0, null, 'unknown'), wish(2, 4000, 4100)];
    expect(checkWishes(wishes, [done(2, 4050), done(1, 8000)])).toEqual([
      '1 took the place of 2, which was wanted LATER (4000 ms; its answer: unknown).',
    ]);
    expect(checkWishes(wishes, [done(1, 3000), done(2, 4050)])).toEqual([]);
  });
  it('finds any two that changed places, and nothing in a record that is in order', () => {
    fc.assert(
      fc.property(fc.integer({ min: 2, max: 30 }), fc.integer({ min: 0, max: 1000 }), (count, seed) => {
        const wishes = Array.from({ length: count }, (_, i) => wish(i, i * 100, i * 100 + 50));
        const record = wishes.map(({ value, began }) => done(value, began + 20));
        expect(checkWishes(wishes, record)).toEqual([]);
        const random = seeded(seed);
        const other = shuffled(record, random);
        const isInOrder = other.every(({ value }, i) => value === i);
        expect(checkWishes(wishes, other).length > 0).toBe(!isInOrder);
      }),
    );
  });
});

it('a seed gives the same numbers again, between 0 and 1', () => {
  const [one, other] = [seeded(7), seeded(7)];
  const numbers = Array.from({ length: 1000 }, one);
  expect(Array.from({ length: 1000 }, other)).toEqual(numbers);
  expect(Math.min(...numbers)).toBeGreaterThanOrEqual(0);
  expect(Math.max(...numbers)).toBeLessThan(1);
  expect(new Set(numbers).size).toBeGreaterThan(990);
});
