import { gather } from '../src/store/gather';
import { until } from '../../../test/support/service';

describe('what is looked up together', () => {
  const answers: (() => void)[] = [];
  const asked: number[][] = [];
  /** One for each test: so long a moment that a slow machine does not outlast it between two lines of a test. */
  const CROWD_MS = 400;
  const doubling = (): ((key: number) => Promise<number | null>) =>
    gather(async (keys: readonly number[]) => {
      asked.push([...keys]);
      await new Promise<void>((resolve) => answers.push(resolve));
      if (keys.includes(13)) throw new Error('the database does not answer');
      return new Map(keys.filter((key) => key > 0).map((key) => [key, key * 2] as const));
    }, CROWD_MS);
  let twice = doubling();
  const turn = (): Promise<void> => new Promise((resolve) => setImmediate(resolve));
  /** A query waits a moment where the one before was for several. */
  const isAsked = (count: number): Promise<unknown> => until(() => asked.length === count);

  beforeEach(() => {
    asked.length = 0;
    answers.length = 0;
    twice = doubling();
  });

  it('asks for those of one turn at once, each key once', async () => {
    const all = Promise.all([twice(1), twice(2), twice(1), twice(-1)]);
    await isAsked(1);
    expect(asked).toEqual([[1, 2, -1]]);
    answers[0]!();
    expect(await all).toEqual([2, 4, 2, null]);
  });

  it('lets what comes meanwhile wait for the next query', async () => {
    const first = twice(1);
    await isAsked(1);
    const later = [twice(2)];
    await turn();
    later.push(twice(3));
    await turn();
    expect(asked).toEqual([[1]]);
    answers[0]!();
    expect(await first).toBe(2);
    await isAsked(2);
    expect(asked).toEqual([[1], [2, 3]]);
    answers[1]!();
    expect(await Promise.all(later)).toEqual([4, 6]);
  });

  it('goes on after a query that failed, and remembers nothing', async () => {
    const failed = twice(13);
    const told = expect(failed).rejects.toThrow('does not answer');
    await isAsked(1);
    const next = twice(5);
    answers[0]!();
    await told;
    await isAsked(2);
    answers[1]!();
    expect(await next).toBe(10);
    expect(asked).toEqual([[13], [5]]);
  });

  it('waits a moment for more where several ask, and not where one asks', async () => {
    const second = twice(2);
    await turn();
    await turn();
    expect(asked).toEqual([[2]]);
    const crowd = [twice(3), twice(4)];
    answers[0]!();
    await second;
    await isAsked(2);
    crowd.push(twice(5));
    answers[1]!();
    await crowd[0];
    for (let i = 0; i < 3; i++) await turn();
    crowd.push(twice(6));
    expect(asked).toHaveLength(2);
    await isAsked(3);
    answers[2]!();
    await Promise.all(crowd);
    expect(asked).toEqual([[2], [3, 4], [5, 6]]);
  });

  it('asks for very many in parts', async () => {
    const all = Promise.all(Array.from({ length: 1200 }, (_, i) => twice(1000 + i)));
    for (let n = 0; n < 3; n++) {
      await isAsked(n + 1);
      answers[n]!();
    }
    expect((await all).length).toBe(1200);
    expect(asked.map(({ length }) => length)).toEqual([500, 500, 200]);
  });
});
