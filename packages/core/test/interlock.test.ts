import { clashOf, holding, type Interlock, type WouldHold } from '../src';

const open = (change: Partial<Interlock>): Interlock => ({
  rule: 1,
  title: 'Tank full',
  rank: 1,
  value: 'off',
  event: 1,
  since: 1000,
  ...change,
});

describe('the interlock that holds', () => {
  it('is none where no event is open', () => {
    expect(holding([])).toBeNull();
  });

  it('is the first by rank, however long the others are open, and then the one that opened first', () => {
    const all = [
      open({ rule: 3, rank: 2, since: 1, value: 'on' }),
      open({ rule: 2, rank: 1, since: 900 }),
      open({ rule: 1, rank: 1, since: 1000 }),
    ];
    expect(holding(all)!.rule).toBe(2);
    expect(holding([...all].reverse())!.rule).toBe(2);
    expect(holding(all.slice(0, 1))!.value).toBe('on');
    // Two events of one moment: always the same of them, whatever order they are read in.
    const same = [open({ rule: 7, event: 9 }), open({ rule: 7, event: 8 }), open({ rule: 6, event: 10 })];
    expect(holding(same)!.event).toBe(10);
    expect(holding([...same].reverse())!.event).toBe(10);
  });
});

describe('interlocks that clash', () => {
  const one = (change: Partial<WouldHold>): WouldHold => ({
    control: '4/pump',
    rank: 1,
    value: 0,
    rule: 1,
    title: 'Tank full',
    ...change,
  });
  it('are two of equal rank with different values for one control', () => {
    expect(clashOf([one({}), one({ rule: 2, value: 1 })])!.map(({ rule }) => rule)).toEqual([1, 2]);
    expect(clashOf([one({}), one({ rule: 2 })])).toBeNull();
    expect(clashOf([one({}), one({ rule: 2, value: 1, rank: 2 })])).toBeNull();
    expect(clashOf([one({}), one({ rule: 2, value: 1, control: '4/gate' })])).toBeNull();
    // Within one rule too.
    expect(clashOf([one({ value: 'dry' }), one({ value: 'wet' })])).not.toBeNull();
    expect(clashOf([])).toBeNull();
  });
});
