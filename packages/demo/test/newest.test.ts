import { furthest, writtenBy } from '../src/cluster/newest';

const ours = '07bb9d99-eac1-11f1-b491-63445d121b69';
const earlier = '1aaacad5-eac1-11f1-9138-12b372658706';
const none = '00000000-0000-0000-0000-000000000000';

it('after a power cut the node that has committed most begins, of the history that most of them have', () => {
  const at = (history: string, seqno: number) => ({ history, seqno });
  expect(furthest([at(ours, 504), at(ours, 507), at(ours, 506)])).toBe(1);
  // One that was just being copied has the numbers of an earlier time, or none.
  expect(furthest([at(earlier, 90_000), at(ours, 12), at(ours, 14)])).toBe(2);
  expect(furthest([null, at(none, -1), at(ours, 3)])).toBe(2);
});

it('where none can say what it has committed, nothing is guessed', () => {
  expect(() => furthest([null, { history: none, seqno: -1 }])).toThrow('begin by hand');
});

it('what a node wrote when it ended is read; one that was killed wrote -1', () => {
  expect(
    writtenBy(`# GALERA saved state\nversion: 2.1\nuuid:    ${ours}\nseqno:   1122\nsafe_to_bootstrap: 1\n`),
  ).toEqual({
    history: ours,
    seqno: 1122,
    isSafe: true,
  });
  expect(writtenBy(`uuid: ${ours}\nseqno: -1\nsafe_to_bootstrap: 0\n`)).toEqual({
    history: ours,
    seqno: -1,
    isSafe: false,
  });
  expect(writtenBy(null)).toBeNull();
});
