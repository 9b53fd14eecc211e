import fc from 'fast-check';
import { displayOf, UNITS, whatChanged, wobbleOf, type Value } from '@peatmoor/core';
import { stream } from './samples';

describe('what a touch changes', () => {
  const before: Record<string, Value> = { level: -121, warmth: 8.5, lamp: 0, state: 'dry' };

  it('is named with how far it went, the farthest first', () => {
    const changed = whatChanged(
      before,
      [
        ['level', -120],
        ['warmth', 9.1],
        ['warmth', 10.6],
        ['warmth', 8.6],
      ],
      { level: 2, warmth: 0.1 },
    );
    expect(changed).toEqual([{ key: 'warmth', before: 8.5, after: 10.6, by: expect.closeTo(2.1, 9) }]);
  });

  it('is told for texts and places too, and not for what stays as it is', () => {
    const place = { lat: 53.4, lon: -1.8, alt: null };
    const changed = whatChanged({ ...before, place }, [
      ['state', 'wet'],
      ['lamp', 0],
      ['place', { ...place }],
      ['unknown', 3],
    ]);
    expect(changed).toEqual([{ key: 'state', before: 'dry', after: 'wet', by: null }]);
  });

  it('must be more than a number moves by itself', () => {
    const wobble = wobbleOf({ level: [1, 3, 2, 5, 4], warmth: [8.5], quiet: [] });
    expect(wobble).toEqual({ level: 3, warmth: 0, quiet: 0 });
    expect(whatChanged({ level: 4 }, [['level', 7]], wobble)).toEqual([]);
    expect(whatChanged({ level: 4 }, [['level', 7.1]], wobble)).toHaveLength(1);
  });

  it('is nothing where nothing came', () => {
    expect(whatChanged(before, [])).toEqual([]);
  });

  it('never names a change that its own wobble explains', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: -50, max: 50 }), { minLength: 2, maxLength: 20 }), (values) => {
        const wobble = wobbleOf({ x: values });
        const steps = values.slice(1).map((value, i) => value - values[i]!);
        for (const [i, step] of steps.entries())
          expect(whatChanged({ x: values[i]! }, [['x', values[i]! + step]], wobble)).toEqual([]);
      }),
    );
  });
});

describe('a datastream in the units of whoever looks', () => {
  const warmth = stream({ unit: 'Cel', decimals: 1 });

  it('is shown as it is stored to most', () => {
    const display = displayOf(warmth, 'metric');
    expect(display.reading(8.5)).toBe('8.5 °C');
    expect(display.convert(8.5)).toBe(8.5);
  });

  it('is converted for those who want that, with decimals that tell the same', () => {
    expect(displayOf(warmth, 'imperial').reading(8.5)).toBe('47.3 °F');
    const whole = stream({ unit: 'Cel', type: 'integer', decimals: null });
    expect(displayOf(whole, 'imperial').wanted(69)).toBe(21);
    expect(displayOf(whole, 'metric').wanted(20.5)).toBe(20.5);
    expect(displayOf(warmth, 'imperial').wanted(68)).toBe(20);
    // Between whole numbers, and between on and off, lies their mean.
    const visitors = displayOf(stream({ unit: null, type: 'integer', decimals: null }), 'metric');
    expect([0.34513, 12.3456, 1234.5678, 0, 3, -0.5].map(visitors.mean)).toEqual([
      '0.345',
      '12.35',
      '1234.57',
      '0',
      '3',
      '-0.5',
    ]);
    expect(displayOf(stream({ unit: null, type: 'boolean', decimals: null }), 'metric').mean(0.25)).toBe(
      '25 %',
    );
    // A sum is told in the unit that is shown, each of its values converted.
    expect(
      [displayOf(warmth, 'metric'), displayOf(warmth, 'imperial')].map(({ total, sum }) => sum(total(30, 3))),
    ).toEqual(['30.0 °C', '150.0 °F']);
    expect(visitors.sum(visitors.total(12, 5))).toBe('12');
    expect(displayOf(stream({ unit: null, type: 'boolean', decimals: null }), 'metric').sum(4)).toBe('4');
    expect(displayOf(stream({ unit: 'mm', decimals: null }), 'metric').sum(0.1 + 0.2)).toBe('0.3 mm');
    expect(displayOf(warmth, 'metric').mean(8.4567)).toBe(displayOf(warmth, 'metric').reading(8.4567));
    expect(displayOf(stream({ unit: 'mm', type: 'integer', decimals: null }), 'imperial').mean(12.7)).toBe(
      '0.5 in',
    );
    expect(displayOf(stream({ unit: 'mm', decimals: 0 }), 'imperial').reading(-121)).toBe('-4.76 in');
    expect(displayOf(stream({ unit: 'mm', type: 'integer', decimals: null }), 'imperial').reading(254)).toBe(
      '10.00 in',
    );
    expect(displayOf(stream({ unit: 'V', decimals: 2 }), 'imperial').reading(3.7)).toBe('3.70 V');
    expect(displayOf(stream({ unit: null, decimals: 0 }), 'imperial').reading(3)).toBe('3');
  });

  it('leaves words, places and switches alone', () => {
    expect(displayOf(stream({ type: 'text', unit: null }), 'imperial').reading('dry')).toBe('dry');
    expect(displayOf(stream({ type: 'boolean', unit: null }), 'imperial').value(1)).toBe('on');
    const choice = stream({ type: 'choice', unit: null, choices: ['shut', 'open'] });
    expect(displayOf(choice, 'imperial').value(1)).toBe('open');
  });

  it('comes back as it was, in every unit', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...UNITS.map(({ code }) => code)),
        fc.double({ min: -1e6, max: 1e6, noNaN: true }),
        (unit, value) => {
          const { convert, back } = displayOf(stream({ unit }), 'imperial');
          expect(Math.abs(back(convert(value)) - value)).toBeLessThanOrEqual(Math.abs(value) * 1e-9 + 1e-6);
        },
      ),
    );
  });
});
