import fc from 'fast-check';
import {
  foldName,
  indexNames,
  isRefusal,
  KEY_PATTERN,
  proposeKey,
  readAt,
  REFUSAL_HINTS,
  RESERVED_NAMES,
  sampleBucket,
  sampleValue,
  showReading,
  takeValue,
} from '@peatmoor/core';
import { stream } from './samples';

describe('names', () => {
  const streams = [
    stream({ key: 'water_level', pin: 4, aliases: ['level'] }),
    stream({ key: 'peat_temperature', title: 'Peat temperature' }),
  ];
  const index = indexNames(streams);

  it.each(['water_level', 'Water Level', 'WATER-LEVEL', '4', '004', 'Level'])(
    'finds the datastream by "%s"',
    (name) => {
      expect(index.find(name)?.key).toBe('water_level');
    },
  );

  it.each([
    ['water_levle', 'water_level'],
    ['waterlevel', 'water_level'],
    ['peat_temprature', 'peat_temperature'],
    ['humidity', undefined],
    ['77', undefined],
  ])('says which known name is nearest to "%s"', (name, nearest) => {
    expect(index.find(name)).toBeUndefined();
    expect(index.nearest(name)).toBe(nearest);
  });

  it('lets a key win over the alias of another datastream', () => {
    const both = indexNames([stream({ key: 'a', aliases: ['b'] }), stream({ key: 'b' })]);
    expect(both.find('b')?.key).toBe('b');
  });

  it('proposes only keys that are allowed, whatever the title', () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 60 }), (title) => {
        const key = proposeKey(title);
        expect(key).toMatch(KEY_PATTERN);
        expect(RESERVED_NAMES.has(key)).toBe(false);
      }),
    );
    expect(proposeKey('Water level (mm)')).toBe('water_level_mm');
    expect(proposeKey('at')).toBe('at_value');
  });

  it('folds a folded name into itself', () => {
    fc.assert(fc.property(fc.string(), (name) => expect(foldName(foldName(name))).toBe(foldName(name))));
  });
});

describe('values', () => {
  const reason = (outcome: object): string => (isRefusal(outcome) ? outcome.reason : 'taken');

  it.each([
    [-121, -121],
    ['-121.5', -121.5],
    [' 7 ', 7],
    ['1e2', 100],
    [-0, 0],
  ])('takes %p as a number', (raw, value) => {
    expect(takeValue(stream(), raw)).toEqual({ value, outOfRange: false });
  });

  it.each([
    ['wet', 'wrong-type'],
    [true, 'wrong-type'],
    [[1], 'wrong-type'],
    ['0x10', 'wrong-type'],
    ['nan', 'not-finite'],
    [null, 'not-finite'],
    ['', 'not-finite'],
    [Number.POSITIVE_INFINITY, 'not-finite'],
    ['1e999', 'wrong-type'],
    [900, 'out-of-range'],
  ])('refuses %p as %s', (raw, expected) => {
    expect(reason(takeValue(stream(), raw))).toBe(expected);
  });

  it('limits or marks what lies outside the range where the datastream says so', () => {
    expect(takeValue(stream({ rangePolicy: 'limit' }), 900)).toEqual({ value: 200, outOfRange: false });
    expect(takeValue(stream({ rangePolicy: 'mark' }), -900)).toEqual({ value: -900, outOfRange: true });
  });

  it.each([
    [true, 1],
    ['ON', 1],
    ['yes', 1],
    ['0', 0],
    [0, 0],
    ['False', 0],
  ])('takes %p as a boolean', (raw, value) => {
    expect(takeValue(stream({ type: 'boolean', min: null, max: null }), raw)).toEqual({
      value,
      outOfRange: false,
    });
  });

  it('refuses fractions for whole numbers, and numbers for booleans', () => {
    expect(reason(takeValue(stream({ type: 'integer' }), 1.5))).toBe('wrong-type');
    expect(reason(takeValue(stream({ type: 'boolean' }), 2))).toBe('wrong-type');
  });

  it('never keeps anything but finite numbers, and explains every refusal', () => {
    fc.assert(
      fc.property(fc.anything(), fc.constantFrom('number', 'integer', 'boolean'), (raw, type) => {
        const outcome = takeValue(stream({ type: type as 'number' }), raw);
        if (isRefusal(outcome)) expect(outcome.hint.length).toBeGreaterThan(10);
        else expect(Number.isFinite(outcome.value)).toBe(true);
      }),
    );
  });

  it('shows values with the decimals and unit of the datastream', () => {
    expect(showReading(stream({ decimals: 1 }), -121.04)).toBe('-121.0 mm');
    expect(showReading(stream({ decimals: 1 }), -0.04)).toBe('0.0 mm');
    expect(showReading(stream({ type: 'boolean', unit: null }), 1)).toBe('on');
    expect(showReading(stream({ decimals: null, unit: 'Cel' }), 7.25)).toBe('7.25 °C');
  });

  it('makes sample values that the datastream itself would take', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 4e12 }),
        fc.constantFrom('number', 'integer', 'boolean'),
        (at, type) => {
          const target = stream({
            type: type as 'number',
            ...(type === 'boolean' && { min: null, max: null }),
          });
          expect(isRefusal(takeValue(target, sampleValue(target, at)))).toBe(false);
        },
      ),
    );
  });
});

it('makes a step of the calendar of sample values, within the range and in order', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 0, max: 4e12 }),
      fc.integer({ min: 1000, max: 31 * 86_400_000 }),
      (from, ms) => {
        const { min, mean, max, first, last, count, to } = sampleBucket(stream({}), from, from + ms);
        expect([to, count > 0]).toEqual([from + ms, true]);
        expect(min).toBeGreaterThanOrEqual(stream({}).min!);
        expect(max).toBeLessThanOrEqual(stream({}).max!);
        for (const value of [mean, first, last]) {
          expect(value).toBeGreaterThanOrEqual(min! - 1e-9);
          expect(value).toBeLessThanOrEqual(max! + 1e-9);
        }
      },
    ),
  );
});

describe('times', () => {
  const now = Date.UTC(2026, 4, 1, 12);

  it.each([
    ['2026-05-01T11:00:00Z', now - 3_600_000],
    ['2026-05-01T13:00:00+02:00', now - 3_600_000],
    ['2026-05-01 11:00:00', now - 3_600_000],
    [now - 5, now - 5],
    [String(now - 5), now - 5],
    [undefined, now],
  ])('reads %p', (raw, at) => expect(readAt(raw, now)).toBe(at));

  it.each([
    ['yesterday', 'wrong-type'],
    ['2026-13-45T00:00:00Z', 'wrong-type'],
    [{}, 'wrong-type'],
    [now + 600_000, 'in-the-future'],
    ['2001-01-01', 'too-old'],
  ])('refuses %p as %s', (raw, reason) => expect(readAt(raw, now)).toMatchObject({ reason }));

  it('takes ten digits as seconds since 1970', () => {
    expect(readAt(now / 1000, now)).toBe(now);
    expect(readAt(String(now / 1000), now)).toBe(now);
    // With a fraction, as programs in Python give it; as text too.
    expect(readAt(now / 1000 + 0.123456, now)).toBe(now + 123);
    expect(readAt((now / 1000 + 0.9994).toFixed(4), now)).toBe(now + 999);
  });
});

it('gives every refusal reason a hint that says what to do', () => {
  for (const hint of Object.values(REFUSAL_HINTS)) expect(hint.length).toBeGreaterThan(20);
});
