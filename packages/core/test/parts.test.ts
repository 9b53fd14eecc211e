import {
  isTaken,
  partOf,
  PARTS,
  pinNumber,
  PLAIN_STREAM,
  takeValue,
  UNITS,
  wiringOf,
  withPart,
  type Part,
} from '@peatmoor/core';
import { stream } from './samples';

/** Works the formula of a part out as a program would. */
function worked(part: Part, known: Record<string, number>): number {
  const { way } = part;
  if (!('value' in way)) throw new Error(`${part.key} has no formula`);
  const names = Object.keys(known);
  const body = `const { log } = Math; return ${way.value};`;
  return (new Function(...names, body) as (...values: number[]) => number)(...Object.values(known));
}
const part = (key: string): Part => partOf(key)!;

describe('the parts', () => {
  it('have keys, titles and words of their own, and units of the registry', () => {
    expect(new Set(PARTS.map(({ key }) => key)).size).toBe(PARTS.length);
    expect(new Set(PARTS.map(({ title }) => title)).size).toBe(PARTS.length);
    for (const { key, stream: made } of PARTS)
      if (made.unit !== null)
        expect([key, UNITS.some(({ code }) => code === made.unit)]).toEqual([key, true]);
  });

  it.each(PARTS.map((one) => [one.key, one] as const))(
    '%s fills a datastream in that takes its own values',
    (_key, one) => {
      const made = stream({ ...PLAIN_STREAM, ...withPart(one), key: 'made', title: one.title });
      const middle = made.min === null || made.max === null ? 0 : (made.min + made.max) / 2;
      const value = made.type === 'boolean' ? true : made.type === 'integer' ? Math.round(middle) : middle;
      expect(isTaken(takeValue(made, value))).toBe(true);
      expect(made.part).toBe(one.key);
      expect(one.shortestS).toBeGreaterThan(0);
    },
  );

  it.each(PARTS.filter(({ wiring }) => wiring.length > 0).map((one) => [one.key, one] as const))(
    '%s says what is wired to what, with the pin of the board',
    (_key, one) => {
      const [wired] = wiringOf([{ key: 'x', title: 'X', part: one.key, boardPin: 'GPIO 4' }]);
      const text = JSON.stringify(wired!.lines);
      expect(text).not.toContain('{pin}');
      expect(text).toContain('GPIO 4');
    },
  );

  it('say what a share of the supply means', () => {
    expect(worked(part('thermistor'), { share: 0.5 })).toBeCloseTo(25, 6);
    expect(worked(part('thermistor'), { share: 0.25 })).toBeLessThan(5);
    expect(worked(part('thermistor'), { share: 0.75 })).toBeGreaterThan(45);
    expect(worked(part('battery'), { share: 0.6 })).toBeCloseTo(3.96, 6);
    expect(worked(part('soil-moisture'), { share: 0.85 })).toBeCloseTo(0, 6);
    expect(worked(part('soil-moisture'), { share: 0.4 })).toBeCloseTo(100, 6);
    expect(worked(part('loop-current'), { share: 0.6 / 3.3 })).toBeCloseTo(4, 6);
    expect(worked(part('water-pressure'), { share: 0.6 / 3.3 })).toBeCloseTo(0, 6);
    expect(worked(part('water-pressure'), { share: 3 / 3.3 })).toBeCloseTo(1000, 6);
  });

  it('say what pulses and echoes mean', () => {
    expect(worked(part('rain-tipper'), { pulses: 5, seconds: 60 })).toBeCloseTo(1, 9);
    expect(worked(part('wind-cups'), { pulses: 10, seconds: 5 })).toBeCloseTo(1.334, 6);
    expect(worked(part('flow-meter'), { pulses: 450, seconds: 1 })).toBe(1);
    // Sound goes 343 m in a second, there and back.
    expect(worked(part('echo-distance'), { us: 10_000 })).toBeCloseTo(1716, 0);
  });

  it('keep what they can say within their range', () => {
    for (const one of PARTS) {
      if (one.way.sort !== 'analogue' || one.stream.min === null || one.stream.max === null) continue;
      const span = one.stream.max - one.stream.min;
      const some = [0.2, 0.3, 0.4, 0.5, 0.6].map((share) => worked(one, { share }));
      for (const value of some) {
        expect([one.key, value >= one.stream.min - span / 2]).toEqual([one.key, true]);
        expect([one.key, value <= one.stream.max + span / 2]).toEqual([one.key, true]);
      }
    }
  });

  it('take the pin that was noted, else their own', () => {
    expect(pinNumber(part('relay'), 'GPIO 5')).toBe(5);
    expect(pinNumber(part('relay'), 'D12 on the edge')).toBe(12);
    expect(pinNumber(part('relay'), '')).toBe(26);
    expect(pinNumber(part('relay'), 'the red one')).toBe(26);
  });

  it('are left out of the wiring where a datastream has none', () => {
    expect(wiringOf([{ key: 'a', title: 'A', part: null, boardPin: '' }])).toEqual([]);
    expect(wiringOf([{ key: 'a', title: 'A', part: 'not one of them', boardPin: '' }])).toEqual([]);
    expect(wiringOf([{ key: 'a', title: 'A', part: 'radio-signal', boardPin: '' }])).toEqual([]);
  });
});
