import fc from 'fast-check';
import {
  convertUnit,
  displayUnit,
  guessStream,
  indexNames,
  isRefusal,
  isTaken,
  LONGEST_TEXT,
  MOST_IMAGE_BYTES,
  readLocation,
  showReading,
  showValue,
  takeReport,
  takeValue,
  takeWanted,
  UNITS,
  unitOf,
  wireValue,
  type Datastream,
} from '@peatmoor/core';
import { stream } from './samples';

const none = { unit: null, min: null, max: null };
const gate = stream({ key: 'gate', type: 'choice', choices: ['closed', 'half open', 'open'], ...none });
const lamp = stream({ key: 'lamp', type: 'colour', ...none });
const note = stream({ key: 'note', type: 'text', ...none });
const place = stream({ key: 'position', type: 'location', ...none });
const picture = stream({ key: 'picture', type: 'image', ...none });

const reason = (one: Datastream, raw: unknown): string | undefined => {
  const outcome = takeValue(one, raw);
  return isRefusal(outcome) ? outcome.reason : undefined;
};
const value = (one: Datastream, raw: unknown): unknown => {
  const outcome = takeValue(one, raw);
  return isTaken(outcome) ? outcome.value : outcome.reason;
};

describe('a choice', () => {
  it('is kept as its place, told and shown as its text', () => {
    expect(value(gate, 'Half Open')).toBe(1);
    expect(showValue(gate, 1)).toBe('half open');
    expect(wireValue(gate, 1)).toBe('half open');
  });

  it('refuses what is not in the list, and says what is', () => {
    const outcome = takeValue(gate, 'ajar');
    expect(isRefusal(outcome) && outcome.hint).toContain('"closed", "half open", "open"');
    expect(reason(gate, null)).toBe('not-finite');
  });
});

describe('a colour', () => {
  it.each([
    ['#74487a', 0x74487a],
    ['74487A', 0x74487a],
    ['#fff', 0xffffff],
    [255, 255],
  ])('takes %j', (raw, kept) => {
    expect(value(lamp, raw)).toBe(kept);
  });

  it.each(['heather', '#12345', -1, 0x1000000, 1.5, {}])('refuses %j', (raw) => {
    expect(reason(lamp, raw)).toBe('wrong-type');
  });

  it('comes back as it went', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 0xffffff }), (kept) => {
        expect(value(lamp, wireValue(lamp, kept))).toBe(kept);
      }),
    );
  });
});

describe('a text', () => {
  it('is kept as it is, up to four kilobytes of UTF-8', () => {
    expect(value(note, 'sphagnum')).toBe('sphagnum');
    expect(value(note, 7)).toBe('7');
    expect(value(note, 'x'.repeat(LONGEST_TEXT))).toHaveLength(LONGEST_TEXT);
    expect(reason(note, 'x'.repeat(LONGEST_TEXT + 1))).toBe('too-long');
    expect(reason(note, '€'.repeat(LONGEST_TEXT / 3 + 1))).toBe('too-long');
    expect(reason(note, { a: 1 })).toBe('wrong-type');
    expect(reason(note, null)).toBe('not-finite');
  });
});

describe('a location', () => {
  const here = { lat: 53.4, lon: -1.9, alt: 340 };
  it.each([
    [{ lat: 53.4, lon: -1.9, alt: 340 }],
    [{ latitude: '53.4', lng: -1.9, altitude: 340 }],
    [[53.4, -1.9, 340]],
    ['53.4,-1.9,340'],
    ['53.4; -1.9; 340'],
  ])('takes %j', (raw) => {
    expect(value(place, raw)).toEqual(here);
  });

  it.each([
    [{ lat: 53.4 }, 'wrong-type'],
    ['here', 'wrong-type'],
    [[1, 2, 3, 4], 'wrong-type'],
    [7, 'wrong-type'],
    [{ lat: 153.4, lon: -1.9 }, 'out-of-range'],
    [{ lat: Number.NaN, lon: 1 }, 'not-finite'],
    ['', 'not-finite'],
  ])('refuses %j as %s', (raw, why) => {
    expect(reason(place, raw)).toBe(why);
  });

  it('is shown with about a metre', () => {
    expect(showReading(place, readLocation('53.4,-1.9', 'position') as never)).toBe('53.40000, -1.90000');
  });

  it('is one value in a report, or two numbers where the kind has those', () => {
    const row = { rows: [{ at: undefined, values: [['gps', here]] as [string, unknown][] }], number: null };
    const whole = takeReport(indexNames([{ ...place, key: 'gps' }]), row, 1);
    expect(whole.accepted.map(({ stream: { key } }) => key)).toEqual(['gps']);
    const parts = takeReport(
      indexNames([stream({ key: 'gps_lat', ...none }), stream({ key: 'gps_lon', ...none })]),
      row,
      1,
    );
    expect(parts.accepted.map(({ stream: { key }, value: kept }) => [key, kept])).toEqual([
      ['gps_lat', 53.4],
      ['gps_lon', -1.9],
    ]);
    expect(parts.refused).toMatchObject([{ name: 'gps_alt', reason: 'unknown-name' }]);
  });
});

describe('an image', () => {
  const png = Uint8Array.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a, 1, 2, 3]);
  const jpeg = Uint8Array.from([0xff, 0xd8, 0xff, 0xe0, 1]);
  const webp = Buffer.from('RIFF\0\0\0\0WEBPVP8 ');
  it.each([
    [png, 'image/png'],
    [jpeg, 'image/jpeg'],
    [webp, 'image/webp'],
    [Buffer.from(png).toString('base64'), 'image/png'],
    [`data:image/png;base64,${Buffer.from(png).toString('base64')}`, 'image/png'],
    [Buffer.from(jpeg).toString('base64url'), 'image/jpeg'],
  ])('is told by its first bytes, as bytes or base64', (raw, type) => {
    expect(value(picture, raw)).toMatchObject({ type });
  });

  it('refuses what is none, and what is too large', () => {
    expect(reason(picture, 'not base64!')).toBe('wrong-type');
    expect(reason(picture, 'abcde')).toBe('wrong-type');
    expect(reason(picture, new Uint8Array(0))).toBe('wrong-type');
    expect(reason(picture, Buffer.from('GIF89a'))).toBe('wrong-type');
    expect(reason(picture, null)).toBe('wrong-type');
    const large = new Uint8Array(MOST_IMAGE_BYTES + 1);
    large.set(jpeg);
    expect(reason(picture, large)).toBe('too-large');
  });
});

describe('units', () => {
  it.each([
    [21.5, 'Cel', 'K', 294.65],
    [0, 'K', 'Cel', -273.15],
    [12, 'mV', 'V', 0.012],
    [1, 'kWh', 'Wh', 1000],
    [36, 'km/h', 'm/s', 10],
    [50, '%', '/', 0.5],
    [-121, 'mm', 'm', -0.121],
    [21, '°C', 'Cel', 21],
  ])('converts %d %s to %s', (from, source, target, wanted) => {
    expect(convertUnit(from, source, target)).toBeCloseTo(wanted, 10);
  });

  it('does not convert between quantities, nor from what it does not know', () => {
    expect(convertUnit(1, 'V', 'A')).toBeUndefined();
    expect(convertUnit(1, 'furlong', 'm')).toBeUndefined();
    expect(convertUnit(1, 'm', 'furlong')).toBeUndefined();
  });

  it('gets back by the way it came', () => {
    const codes = fc.constantFrom(...UNITS.map(({ code }) => code));
    fc.assert(
      fc.property(codes, codes, fc.integer({ min: -10_000, max: 10_000 }), (from, to, amount) => {
        const there = convertUnit(amount, from, to);
        if (there === undefined) return;
        const back = convertUnit(there, to, from)!;
        expect(Math.abs(back - amount)).toBeLessThanOrEqual(1e-6 * Math.max(1, Math.abs(amount)));
      }),
    );
  });

  it('each have a code of their own and a base that is in the list', () => {
    expect(new Set(UNITS.map(({ code }) => code)).size).toBe(UNITS.length);
    for (const { base } of UNITS) expect(unitOf(base)?.base).toBe(base);
  });

  it('are shown as a person wants them', () => {
    const shown = displayUnit('Cel', 'imperial');
    expect(shown).toMatchObject({ shown: '°F' });
    expect(20 * shown.scale + shown.offset).toBe(68);
    expect(displayUnit('V', 'imperial')).toEqual({ shown: 'V', scale: 1, offset: 0 });
    expect(displayUnit('Cel', 'metric')).toEqual({ shown: '°C', scale: 1, offset: 0 });
    expect(displayUnit(null, 'imperial').shown).toBe('');
  });
});

describe('a datastream guessed from what arrived', () => {
  it.each([
    ['Water Level', -121, 'number', 'water_level'],
    ['pump', true, 'boolean', 'pump'],
    ['pump', '"on"', 'boolean', 'pump'],
    ['state', '"dry"', 'text', 'state'],
    ['lamp', '#74487a', 'colour', 'lamp'],
    ['gps', { lat: 1, lon: 2 }, 'location', 'gps'],
    ['cam', new Uint8Array(3), 'image', 'cam'],
    ['42', 3, 'number', 'virtual_pin_42'],
    ['at', 3, 'number', 'at_value'],
    ['°°', 'NaN', 'number', 'value'],
  ])('%s with %j is of type %s', (name, raw, type, key) => {
    expect(guessStream(name, raw)).toMatchObject({ type, key });
  });
});

it('what somebody wants of a control is refused with what it takes, whatever is done with readings', () => {
  const wants = (value: unknown, more: Partial<Datastream> = {}): string => {
    const taken = takeWanted(stream({ direction: 'control', rangePolicy: 'limit', ...more }), value);
    return 'reason' in taken ? `${taken.reason}: ${taken.hint}` : String(taken.value);
  };
  expect(wants(-300)).toBe('-300');
  expect(wants(201)).toBe(
    'out-of-range: "level" takes -800 to 200 mm. Want one of these, or widen its range.',
  );
  expect(wants(1e9, { min: null, unit: null })).toMatch(/takes at most 200\. Want/);
  expect(wants(-1, { min: 0, max: null })).toMatch(/takes at least 0 mm\. Want/);
  expect(wants('')).toBe('not-finite: This is no number. Give one.');
  expect(wants('x')).toMatch(/^wrong-type: A number is expected/);
});
