import {
  aloneSentence,
  checkKeep,
  keepingOf,
  keepText,
  PLAIN_STREAM,
  runSentence,
  type Datastream,
} from '../src';

const control = (change: Partial<Datastream> = {}): Datastream => ({
  ...PLAIN_STREAM,
  key: 'pump',
  title: 'Pump',
  type: 'boolean',
  direction: 'control',
  runAtMost: { value: 'on', mostS: 1200, then: 'off', restS: 600 },
  withoutLink: { afterS: 300, value: 'off' },
  ...change,
});
const wrong = (change: Partial<Datastream>) => checkKeep(control(change), control(change));

describe('what keeps a control safe', () => {
  it('fits a control that lasts, by its own values', () => {
    expect(wrong({})).toBeNull();
    expect(wrong({ runAtMost: null, withoutLink: null, direction: 'report' })).toBeNull();
    expect(wrong({ direction: 'report' })?.reason).toMatch(/only for what people control/);
    expect(wrong({ holds: 'momentary' })?.reason).toMatch(/not for a press/);
    expect(wrong({ type: 'text' })?.reason).toMatch(/not for texts/);
    expect(wrong({ runAtMost: { value: 'purple', mostS: 9, then: 'off', restS: 0 } })).toMatchObject({
      field: 'runAtMost.value',
      reason: '"purple" is not taken',
    });
    expect(wrong({ withoutLink: { afterS: 60, value: 'shut' } })?.field).toBe('withoutLink.value');
  });
  it('goes somewhere else, however the value is written', () => {
    expect(wrong({ runAtMost: { value: 'on', mostS: 9, then: '1', restS: 0 } })?.field).toBe(
      'runAtMost.then',
    );
    expect(wrong({ withoutLink: { afterS: 60, value: 'on' } })?.field).toBe('withoutLink.value');
    expect(wrong({ runAtMost: null, withoutLink: { afterS: 60, value: 'on' } })).toBeNull();
  });
  it('goes to a board in lines, with values as they go over the wire', () => {
    const gate = control({
      key: 'gate',
      type: 'choice',
      choices: ['closed', 'half open'],
      runAtMost: null,
      withoutLink: { afterS: 60, value: 'half open' },
    });
    expect(keepText([control(), gate, control({ runAtMost: null, withoutLink: null })])).toBe(
      'pump\tmost\t1200\t1\t600\t0\npump\talone\t300\t0\ngate\talone\t60\thalf open',
    );
  });
  it('is kept only where the board says exactly this', () => {
    const said = keepText([control()]);
    expect(keepingOf(control(), undefined)).toBe('cannot');
    expect(keepingOf(control(), said)).toBe('kept');
    expect(keepingOf(control(), `${said}\npumps\talone\t9\t0`)).toBe('kept');
    expect(keepingOf(control({ withoutLink: { afterS: 301, value: 'off' } }), said)).toBe('not yet');
    expect(keepingOf(control({ runAtMost: null, withoutLink: null }), said)).toBe('not yet');
    expect(keepingOf(control(), '')).toBe('not yet');
  });
  it('is said in words', () => {
    const { runAtMost, withoutLink } = control();
    expect(runSentence(control(), runAtMost!)).toBe('on for 20 min at most, then off; it rests for 10 min');
    expect(runSentence(control(), { ...runAtMost!, restS: 0 })).toBe('on for 20 min at most, then off');
    expect(aloneSentence(control(), withoutLink!)).toBe('off once it has heard nothing for 5 min');
  });
});
