import { COMMAND_STATES, standingOf, standingValue } from '../src';

const has = { value: 1, at: 1000 };
const reported = { value: 0, at: 2000 };

it('is what the board said last, whatever became of what was wanted, and nothing where it never said anything', () => {
  expect(standingOf(undefined, undefined, undefined)).toEqual({ is: 'unknown' });
  for (const state of COMMAND_STATES) {
    const onWay = state === 'waiting' || state === 'sent';
    const command = { value: 5, state };
    expect(standingOf(command, has, undefined)).toEqual(
      onWay ? { is: 'wanted', value: 5, board: has } : { is: 'board', ...has },
    );
    // The unknown is never the value that was wanted, nor nought.
    expect(standingOf(command, undefined, undefined)).toEqual(
      onWay ? { is: 'wanted', value: 5, board: null } : { is: 'unknown' },
    );
  }
  expect(standingOf(undefined, has, reported)).toEqual({ is: 'board', ...reported });
  expect(standingOf(undefined, { ...has, at: 3000 }, reported)).toMatchObject({ value: 1 });
  expect(standingValue({ is: 'unknown' })).toBeUndefined();
  expect(standingValue({ is: 'wanted', value: 'open', board: null })).toBe('open');
});
