import { gather } from '../src/store/gather';

describe('what is looked up together', () => {
  const answers: (() => void)[] = [];
  const asked: number[][] = [];
  const twice = gather(async (keys: readonly number[]) => {
    asked.push([...keys]);
    await new Promise<void>((resolve) => answers.push(resolve));
    if (keys.includes(13)) throw new Error('the database does not answer');
    return new Map(keys.filter((key) => key > 0).map((key) => [key, key * 2] as const));
  });
  const turn = (): Promise<void> => new Promise((resolve) => setImmediate(resolve));

  beforeEach(() => {
    asked.length = 0;
    answers.length = 0;
  });

  it('asks for those of one turn at once, each key once', async () => {
    const all = Promise.all([twice(1), twice(2), twice(1), twice(-1)]);
    await turn();
    expect(asked).toEqual([[1, 2, -1]]);
    answers[0]!();
    expect(await all).toEqual([2, 4, 2, null]);
  });

  it('lets what comes meanwhile wait for the next query', async () => {
    const first = twice(1);
    await turn();
    const later = [twice(2)];
    await turn();
    later.push(twice(3));
    await turn();
    expect(asked).toEqual([[1]]);
    answers[0]!();
    expect(await first).toBe(2);
    await turn();
    expect(asked).toEqual([[1], [2, 3]]);
    answers[1]!();
    expect(await Promise.all(later)).toEqual([4, 6]);
  });

  it('goes on after a query that failed, and remembers nothing', async () => {
    const failed = twice(13);
    const told = expect(failed).rejects.toThrow('does not answer');
    await turn();
    const next = twice(5);
    answers[0]!();
    await told;
    await turn();
    answers[1]!();
    expect(await next).toBe(10);
    expect(asked).toEqual([[13], [5]]);
  });

  it('asks for very many in parts', async () => {
    const all = Promise.all(Array.from({ length: 1200 }, (_, i) => twice(1000 + i)));
    for (let n = 0; n < 3; n++) {
      await turn();
      answers[n]!();
      await turn();
    }
    expect((await all).length).toBe(1200);
    expect(asked.map(({ length }) => length)).toEqual([500, 500, 200]);
  });
});
