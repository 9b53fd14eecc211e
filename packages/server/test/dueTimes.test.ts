import { createDueTimes } from '../src/rules/dueTimes';

it('gives what is due, the earliest first, each once when it is settled', () => {
  const due = createDueTimes<string>();
  due.plan(30, 'c');
  due.plan(10, 'a');
  due.plan(20, 'b');
  due.begin();
  expect([...due.until(20)]).toEqual(['a', 'b']);
  due.settle();
  due.begin();
  expect([...due.until(20)]).toEqual([]);
  expect(due.next()).toBe(30);
});

it('loses nothing of work that only looked, failed, or did not come to it the second time', () => {
  const due = createDueTimes<string>();
  due.plan(10, 'a');
  due.begin();
  expect([...due.until(15)]).toEqual(['a']);
  // The transaction that follows has more to read first, lets no time pass, and is settled all the same.
  due.begin();
  due.settle();
  expect(due.next()).toBe(10);
  due.begin();
  expect([...due.until(15)]).toEqual(['a']);
});

it('gives what is planned while it is asked', () => {
  const due = createDueTimes<number>();
  due.plan(1, 1);
  const seen: number[] = [];
  for (const one of due.until(3)) {
    seen.push(one);
    if (one < 5) due.plan(one + 1, one + 1);
  }
  expect(seen).toEqual([1, 2, 3]);
  expect(due.next()).toBe(4);
  due.clear();
  expect(due.next()).toBeNull();
});
