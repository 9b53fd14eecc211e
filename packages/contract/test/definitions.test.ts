import { ValidationError } from 'yup';
import { newClaimSchema, newKindSchema, streamSchema, type NewStream } from '../src/index';

/** A datastream as the service would take it from a call: checked strictly, then cast. */
function taken(change: object): NewStream {
  const body = { key: 'made', title: 'Made', type: 'number', ...change };
  return streamSchema.validateSync(streamSchema.cast(body, { assert: false }));
}
function wrong(change: object): string {
  try {
    taken(change);
    return '';
  } catch (error) {
    if (!(error instanceof ValidationError)) throw error;
    return `${error.path}: ${error.message}`;
  }
}
const computed = (computation: object): NewStream['computation'] => taken({ computation }).computation;

describe('a computation', () => {
  it('has what each form needs, with what is usual where nothing is said', () => {
    expect(computed({ form: 'formula', formula: ' level * 2 ' })).toEqual({
      form: 'formula',
      formula: 'level * 2',
      gapS: 86_400,
    });
    expect(computed({ form: 'integral', of: 'power' })).toEqual({
      form: 'integral',
      of: 'power',
      perS: 3600,
      gapS: 3600,
      restarts: 'never',
      zone: 'UTC',
    });
    expect(computed({ form: 'sum', of: 'rain' })).toMatchObject({ restarts: 'day', zone: 'UTC' });
    expect(computed({ form: 'change', of: 'level' })).toEqual({ form: 'change', of: 'level' });
    expect(computed({ form: 'moving', of: 'level', overS: 60 })).toMatchObject({ take: 'mean', overS: 60 });
  });

  it('keeps nothing of what another form would have', () => {
    expect(computed({ form: 'change', of: 'level', formula: 'x', perS: 5, zone: 'UTC' })).toEqual({
      form: 'change',
      of: 'level',
    });
  });

  it('is nothing unless something is said', () => {
    expect(taken({}).computation).toBeNull();
    expect(taken({ computation: null }).computation).toBeNull();
  });

  it.each([
    [{ form: 'guess', of: 'level' }, /computation\.form: must be one of: formula/],
    [{ form: 'formula' }, /computation\.formula: is missing/],
    [{ form: 'formula', formula: 'x'.repeat(501) }, /computation\.formula: is too long; 500 letters at most/],
    [{ form: 'rate' }, /computation\.of: is missing/],
    [{ form: 'rate', of: 'level', perS: 0 }, /computation\.perS: must be 0.001 or more/],
    [{ form: 'moving', of: 'level', overS: 0 }, /computation\.overS: must be 1 or more/],
    [{ form: 'moving', of: 'level', overS: 60, take: 'median' }, /computation\.take: must be one of/],
    [{ form: 'sum', of: 'rain', restarts: 'week' }, /computation\.restarts: must be one of/],
    [{ form: 'integral', of: 'power', gapS: 1.5 }, /computation\.gapS: must be a whole number/],
  ])('is refused where it is wrong: %j', (computation, message) => {
    expect(wrong({ computation })).toMatch(message);
  });
});

describe('what a control is wanted to be from the start', () => {
  const control = { direction: 'control' };
  it.each([
    [{ ...control, type: 'boolean', defaultValue: 'on' }],
    [{ ...control, type: 'number', min: 0, max: 5, defaultValue: '2.5' }],
    [{ ...control, type: 'choice', choices: ['shut', 'open'], defaultValue: 'open' }],
    [{ ...control, type: 'text', defaultValue: 'good morning' }],
    [{ ...control, type: 'colour', defaultValue: '#74487a' }],
    [{ type: 'number', direction: 'both', defaultValue: '1' }],
    [{ type: 'number' }],
  ])('is taken: %j', (change) => expect(wrong(change)).toBe(''));

  it.each([
    [{ ...control, type: 'number', max: 5, defaultValue: '7' }, /defaultValue: is not taken/],
    [{ ...control, type: 'integer', defaultValue: '1.5' }, /defaultValue: is not taken/],
    [{ ...control, type: 'choice', choices: ['shut'], defaultValue: 'open' }, /defaultValue: is not taken/],
    [{ type: 'number', defaultValue: '7' }, /only for what people control/],
  ])('is refused: %j', (change, message) => expect(wrong(change)).toMatch(message));
});

describe('how long a wanted value holds', () => {
  const control = { direction: 'control', type: 'boolean' };
  it.each([
    [{ ...control, holds: 'momentary' }],
    [{ ...control, holds: 'momentary', timeLimitS: 1 }],
    [{ ...control, holds: 'lasting', timeLimitS: 86_400, defaultValue: 'on' }],
  ])('is taken: %j', (change) => expect(wrong(change)).toBe(''));

  it.each([
    [{ ...control, holds: 'for a while' }, /holds: must be one of/],
    [{ ...control, holds: 'momentary', defaultValue: 'on' }, /holds: must be lasting where/],
    [{ ...control, timeLimitS: 0 }, /timeLimitS: /],
    [{ ...control, timeLimitS: 1.5 }, /timeLimitS: /],
    [{ ...control, timeLimitS: 86_401 }, /timeLimitS: /],
    [{ ...control, timeLimitS: 'soon' }, /timeLimitS: /],
  ])('is refused: %j', (change, message) => expect(wrong(change)).toMatch(message));
});

describe('a kind and its claims', () => {
  it('takes only boards and drawings that there are', () => {
    const kind = (change: object): unknown => newKindSchema.validateSync({ title: 'Dipwell', ...change });
    expect(kind({ board: 'micropython', icon: 'drop' })).toMatchObject({
      board: 'micropython',
      icon: 'drop',
    });
    expect(() => kind({ board: 'abacus' })).toThrow(/must be one of/);
    expect(() => kind({ icon: 'heart' })).toThrow(/must be one of/);
  });

  it('bounds claims in number and time', () => {
    expect(newClaimSchema.cast({})).toEqual({ title: '', most: 100, days: 30 });
    for (const bad of [
      { most: 0 },
      { most: 10_001 },
      { most: 1.5 },
      { days: 0 },
      { days: 4000 },
      { title: 'x'.repeat(81) },
    ])
      expect(() => newClaimSchema.validateSync(bad)).toThrow(ValidationError);
  });
});
