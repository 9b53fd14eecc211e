import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import {
  findModules,
  isTaken,
  MODULES,
  partOf,
  PARTS,
  pinsOf,
  PLAIN_STREAM,
  streamsOfModules,
  takeValue,
  UNITS,
  wiringOf,
  withPart,
  type Part,
} from '@peatmoor/core';
import { stream } from './samples';

type Known = Record<string, number | readonly number[]>;
const part = (key: string): Part => partOf(key)!;
const moduleOf = (key: string) => MODULES.find((one) => one.key === key)!;

const NUMBERS = `const u16 = (high, low) => ((high & 255) << 8) | (low & 255);
const s16 = (high, low) => { const both = u16(high, low); return both > 32767 ? both - 65536 : both; };`;

/** Steps and value of a part, worked out as a program in JavaScript would. */
function worked(one: Part, known: Known): { value: number; loose: boolean } {
  const { way, measure } = one;
  if (!('value' in way)) throw new Error(`${one.key} has no formula`);
  const steps = 'steps' in way ? way.steps.map(([name, text]) => `const ${name} = ${text};`).join('\n') : '';
  const body = `const { log, sqrt } = Math; ${NUMBERS} ${steps} const value = ${way.value}; return { value, loose: ${measure.loose ?? 'false'} };`;
  const names = Object.keys(known);
  return (new Function(...names, body) as (...values: unknown[]) => { value: number; loose: boolean })(
    ...Object.values(known),
  );
}
const valueOf = (key: string, known: Known): number => worked(part(key), known).value;
const isLoose = (key: string, known: Known): boolean => worked(part(key), known).loose;

const LOW_HIGH = [27504, 26435, -1000, 36477, -10685, 3024, 2855, 140, -7, 15500, -14600, 6000].flatMap(
  (n) => [n & 255, (n >> 8) & 255],
);
/** What the data sheet of the pressure sensor has as its example: its own numbers, then 415148 and 519888 as measured. */
const PRESSURE = [
  ...LOW_HIGH,
  0,
  75,
  106,
  1,
  0,
  19,
  42,
  0,
  30,
  0x65,
  0x5a,
  0xc0,
  0x7e,
  0xed,
  0x00,
  0x6e,
  0x00,
];

/** Bytes and values as data sheets have them. */
const EXAMPLES: [key: string, known: Known, value: number, digits: number][] = [
  ['climate-wire.humidity', { b: [0x02, 0x8c, 0x01, 0x5f, 0xee] }, 65.2, 9],
  ['climate-wire.temperature', { b: [0x02, 0x8c, 0x01, 0x5f, 0xee] }, 35.1, 9],
  ['climate-wire.temperature', { b: [0, 0, 0x80, 0x65, 0] }, -10.1, 9],
  ['temperature-probe', { b: [0xd0, 0x07] }, 125, 9],
  ['temperature-probe', { b: [0x91, 0x01] }, 25.0625, 9],
  ['temperature-probe', { b: [0x5e, 0xff] }, -10.125, 9],
  ['temperature-probe', { b: [0x90, 0xfc] }, -55, 9],
  ['thermocouple.temperature', { b: [0x64, 0x00, 0, 0] }, 1600, 9],
  ['thermocouple.temperature', { b: [0x06, 0x4c, 0, 0] }, 100.75, 9],
  ['thermocouple.temperature', { b: [0xff, 0xfc, 0, 0] }, -0.25, 9],
  ['thermocouple.temperature', { b: [0xf0, 0x60, 0, 0] }, -250, 9],
  ['thermocouple.inside', { b: [0, 0, 0x7f, 0x00] }, 127, 9],
  ['thermocouple.inside', { b: [0, 0, 0xff, 0xf0] }, -0.0625, 9],
  ['thermocouple.inside', { b: [0, 0, 0xc9, 0x00] }, -55, 9],
  ['infrared-thermometer.object', { b: [0xf7, 0x3a, 0] }, 28.75, 6],
  ['infrared-thermometer.object', { b: [0xad, 0x27, 0] }, -70.01, 6],
  ['air-pressure.temperature', { b: PRESSURE }, 25.0825, 3],
  ['air-pressure.pressure', { b: PRESSURE }, 1006.5327, 3],
  ['light-lux', { b: [0x83, 0x90] }, 28067, 0],
  ['carbon-serial', { b: [0xff, 0x86, 0x02, 0x60, 0x47, 0, 0, 0, 0xd1] }, 608, 9],
  ['carbon-i2c.carbon', { b: [0x01, 0xf4, 0x33, 0x66, 0x67, 0xa2, 0x5e, 0xb9, 0x3c] }, 500, 9],
  ['carbon-i2c.temperature', { b: [0x01, 0xf4, 0x33, 0x66, 0x67, 0xa2, 0x5e, 0xb9, 0x3c] }, 25, 1],
  ['carbon-i2c.humidity', { b: [0x01, 0xf4, 0x33, 0x66, 0x67, 0xa2, 0x5e, 0xb9, 0x3c] }, 37, 1],
  ['direct-power.current', { b: [0x07, 0xd0] }, 0.2, 9],
  ['direct-power.voltage', { b: [0x5d, 0x98] }, 11.98, 9],
  ['direct-power.power', { b: [0x07, 0xd0, 0x5d, 0x98] }, 2.396, 9],
  ['acceleration.z', { b: [0, 0, 0, 0, 0x40, 0x00] }, 9.80665, 5],
  ['acceleration.x', { b: [0xe0, 0x00, 0, 0, 0, 0] }, -4.903325, 5],
  ['dust.fine', { b: [0x42, 0x4d, 0, 28, 0, 5, 0, 8, 0, 9, 0, 5, 0, 12, 0, 15] }, 12, 9],
  ['light-distance', { b: [0x59, 0x59, 0x2c, 0x01, 0xe8, 0x03, 0, 0, 0] }, 300, 9],
  ['weight', { b: [0x00, 0x00, 0x00] }, 0, 9],
  ['weight', { b: [0xff, 0xff, 0xff] }, -97.65625 / 8388608, 9],
  ['thermistor', { share: 0.5 }, 25, 6],
  ['analogue-temperature', { share: 0.25 / 3.3 }, 25, 6],
  ['battery', { share: 0.6 }, 3.96, 6],
  ['soil-moisture', { share: 0.85 }, 0, 6],
  ['soil-moisture', { share: 0.4 }, 100, 6],
  ['loop-current', { share: 0.6 / 3.3 }, 4, 6],
  ['water-pressure', { share: 3 / 3.3 }, 1000, 6],
  ['sound-level', { share: 2 / 3.3 }, 40, 6],
  ['acidity', { share: 0.5 }, 7, 6],
  ['rain-tipper', { pulses: 5, seconds: 60 }, 1, 9],
  ['wind-cups', { pulses: 10, seconds: 5 }, 1.334, 6],
  ['flow-meter', { pulses: 450, seconds: 1 }, 1, 9],
  // Sound goes 343 m in a second, there and back.
  ['echo-distance', { us: 10_000 }, 1716, 0],
];

describe('the parts', () => {
  it('have keys, titles and words of their own, and units of the registry', () => {
    for (const list of [PARTS, MODULES]) {
      expect(new Set(list.map(({ key }) => key)).size).toBe(list.length);
      expect(new Set(list.map(({ title }) => title)).size).toBe(list.length);
    }
    for (const { key, stream: made } of PARTS) {
      expect(key.length).toBeLessThanOrEqual(40);
      if (made.unit !== null)
        expect([key, UNITS.some(({ code }) => code === made.unit)]).toEqual([key, true]);
    }
  });

  it.each(EXAMPLES)('%s says what its data sheet says, %j', (key, known, value, digits) => {
    expect(valueOf(key, known)).toBeCloseTo(value, digits);
  });

  it('humidity of the pressure sensor is that of its own formula in whole numbers', () => {
    // The data sheet's own way in 32 bits, for the same bytes.
    const [h1, h2, h3, h4, h5, h6] = [75, 362, 0, (19 << 4) | (42 & 15), (0 << 4) | (42 >> 4), 30];
    const fine = valueOf('air-pressure.temperature', { b: PRESSURE }) * 5120;
    const raw = 0x6e00;
    const start = fine - 76800;
    let h =
      (raw - (h4 * 64 + (h5 / 16384) * start)) *
      ((h2 / 65536) * (1 + (h6 / 67108864) * start * (1 + (h3 / 67108864) * start)));
    h *= 1 - (h1 * h) / 524288;
    expect(valueOf('air-pressure.humidity', { b: PRESSURE })).toBeCloseTo(h, 6);
    expect(h).toBeGreaterThan(20);
  });

  it('say what a loose wire looks like, and nothing of what is whole', () => {
    expect(isLoose('temperature-probe', { b: [0x50, 0x05] })).toBe(true);
    expect(isLoose('temperature-probe', { b: [0x51, 0x05] })).toBe(false);
    expect(isLoose('thermistor', { share: 0.0001 })).toBe(true);
    expect(isLoose('thermistor', { share: 0.5 })).toBe(false);
    expect(isLoose('thermocouple.temperature', { b: [0x7f, 0xfd, 0, 1] })).toBe(true);
    expect(isLoose('thermocouple.temperature', { b: [0x06, 0x4c, 0, 0] })).toBe(false);
    expect(isLoose('loop-current', { share: 0.1 / 3.3 })).toBe(true);
    expect(isLoose('air-pressure.pressure', { b: PRESSURE })).toBe(false);
    expect(isLoose('weight', { b: [0x7f, 0xff, 0xff] })).toBe(true);
    expect(isLoose('acceleration.x', { b: [0, 0, 0, 0, 0, 0] })).toBe(true);
    expect(isLoose('light-distance', { b: [0x59, 0x59, 0, 0, 3, 0, 0, 0, 0] })).toBe(true);
    // Where a part has words for it, a program has a way of knowing: a look, or an answer that is missing.
    for (const { key, looseWords, measures } of MODULES)
      if (looseWords !== '')
        expect([
          key,
          measures.some(
            ({ way, loose }) => loose !== null || ['bytes', 'echo', 'position'].includes(way.sort),
          ),
        ]).toEqual([key, true]);
  });

  it('mean the same in C++, Python and JavaScript', () => {
    const cases = EXAMPLES.map(([key, known]) => ({ one: part(key), known }));
    const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'peatmoor-parts-'));
    const list = (value: number | readonly number[]): string =>
      Array.isArray(value) ? value.join(', ') : String(value);
    const cpp = cases.map(({ one: { way }, known }) => {
      const names = Object.entries(known).map(([name, value]) =>
        Array.isArray(value)
          ? `const uint8_t ${name}[] = {${list(value)}};`
          : `double ${name} = ${list(value)};`,
      );
      const steps = 'steps' in way ? way.steps.map(([name, text]) => `double ${name} = ${text};`) : [];
      return `{ ${[...names, ...steps].join(' ')} printf("%.9g\\n", (double)(${'value' in way ? way.value : ''})); }`;
    });
    fs.writeFileSync(
      path.join(folder, 'all.cpp'),
      `#include <cmath>
#include <cstdint>
#include <cstdio>
double u16(int high, int low) { return (uint16_t)((high & 255) << 8 | (low & 255)); }
double s16(int high, int low) { return (int16_t)((high & 255) << 8 | (low & 255)); }
int main() { ${cpp.join('\n')} }`,
    );
    const py = cases.map(({ one: { way }, known }) => {
      const names = Object.entries(known).map(([name, value]) =>
        Array.isArray(value) ? `${name} = [${list(value)}]` : `${name} = ${list(value)}`,
      );
      const steps = 'steps' in way ? way.steps.map(([name, text]) => `${name} = ${text}`) : [];
      return [...names, ...steps, `print("%.9g" % (${'value' in way ? way.value : ''}))`].join('\n');
    });
    const head = `from math import log, sqrt\ndef u16(high, low): return high << 8 | low\ndef s16(high, low):\n    both = high << 8 | low\n    return both - 65536 if both > 32767 else both\n`;
    fs.writeFileSync(path.join(folder, 'all.py'), head + py.join('\n'));
    try {
      execFileSync('g++', ['-w', path.join(folder, 'all.cpp'), '-o', path.join(folder, 'all')]);
      const printed = [
        execFileSync(path.join(folder, 'all')),
        execFileSync('python3', [path.join(folder, 'all.py')]),
      ].map((text) => text.toString().trim().split('\n').map(Number));
      const here = cases.map(({ one, known }) => Number(worked(one, known).value.toPrecision(9)));
      for (const values of printed)
        values.forEach((value, i) =>
          expect([cases[i]!.one.key, value]).toEqual([cases[i]!.one.key, expect.closeTo(here[i]!, 6)]),
        );
      expect(printed.map(({ length }) => length)).toEqual([cases.length, cases.length]);
    } finally {
      fs.rmSync(folder, { recursive: true });
    }
  });

  it.each(PARTS.map((one) => [one.key, one] as const))(
    '%s fills a datastream in that takes its own values',
    (_key, one) => {
      const made = stream({ ...PLAIN_STREAM, ...withPart(one), key: 'made', title: one.title });
      const middle = made.min === null || made.max === null ? 0 : (made.min + made.max) / 2;
      const value =
        { boolean: true, integer: Math.round(middle), text: 'wet', colour: '#2b5f6e', location: '53.4,-1.9' }[
          made.type as string
        ] ?? middle;
      expect(isTaken(takeValue(made, value))).toBe(true);
      expect(made.part).toBe(one.key);
      expect(one.shortestS).toBeGreaterThan(0);
    },
  );

  it.each(PARTS.filter(({ module: { wiring } }) => wiring.length > 0).map((one) => [one.key, one] as const))(
    '%s says what is wired to what, with the pins of the board',
    (_key, one) => {
      const pins = one.module.pins.map((_, i) => 40 + i);
      const [wired] = wiringOf([
        { key: 'x', title: 'X', part: one.key, boardPin: `GPIO ${pins.join(', ')}` },
      ]);
      const text = JSON.stringify(wired!.lines);
      expect(text).not.toContain('{pin');
      for (const pin of pins) expect(text).toContain(`GPIO ${pin}`);
    },
  );

  it('keep what they can say within their range', () => {
    for (const one of PARTS) {
      if (one.way.sort !== 'analogue' || one.stream.min === null || one.stream.max === null) continue;
      const span = one.stream.max - one.stream.min;
      const some = [0.2, 0.3, 0.4, 0.5, 0.6].map((share) => worked(one, { share }));
      for (const { value, loose } of some) {
        if (loose) continue;
        expect([one.key, value >= one.stream.min - span / 2]).toEqual([one.key, true]);
        expect([one.key, value <= one.stream.max + span]).toEqual([one.key, true]);
      }
    }
  });

  it('take the pins that were noted, else their own', () => {
    expect(pinsOf(part('relay'), 'GPIO 5')).toEqual([5]);
    expect(pinsOf(part('relay'), 'D12 on the edge')).toEqual([12]);
    expect(pinsOf(part('relay'), 'the red one')).toEqual([26]);
    expect(pinsOf(part('weight'), 'GPIO 4')).toEqual([4, 33]);
    expect(pinsOf(part('light-lux'), '')).toEqual([21, 22]);
  });

  it('are found by what they measure, in the words of makers, the commonest first', () => {
    const found = findModules('temperature').map(({ key }) => key);
    expect(found.slice(0, 2)).toEqual(['climate-wire', 'temperature-probe']);
    for (const key of [
      'thermistor',
      'analogue-temperature',
      'thermocouple',
      'infrared-thermometer',
      'air-pressure',
      'carbon-i2c',
    ])
      expect(found).toContain(key);
    expect(findModules('CO2').map(({ key }) => key)).toEqual(['carbon-serial', 'carbon-i2c']);
    expect(findModules('i2c light').map(({ key }) => key)).toEqual(['light-lux']);
    expect(findModules('analog').length).toBeGreaterThan(4);
    expect(findModules('zzz')).toEqual([]);
  });

  it('fill in the datastreams of a whole board at once', () => {
    const made = streamsOfModules(
      [
        'climate-wire',
        'climate-wire',
        'air-pressure',
        'light-lux',
        'soil-moisture',
        'battery',
        'relay',
        'mains-power',
      ].map(moduleOf),
      'Europe/London',
    );
    expect(new Set(made.map(({ key }) => key)).size).toBe(made.length);
    expect(
      made.filter(({ part }) => part?.startsWith('climate-wire')).map(({ key, boardPin }) => [key, boardPin]),
    ).toEqual([
      ['temperature', 'GPIO 4'],
      ['humidity', 'GPIO 4'],
      ['temperature_2', 'GPIO 27'],
      ['humidity_2', 'GPIO 27'],
    ]);
    // The bus is shared; analogue pins and others are not.
    expect(made.filter(({ boardPin }) => boardPin === 'GPIO 21, 22')).toHaveLength(4);
    expect(made.find(({ key }) => key === 'mains_voltage')?.boardPin).toBe('GPIO 32, 33');
    expect(made.find(({ key }) => key === 'power')?.computation).toMatchObject({
      formula: 'mains_voltage * mains_current',
    });
    expect(made.find(({ key }) => key === 'energy_today')?.computation).toMatchObject({
      of: 'power',
      zone: 'Europe/London',
    });
    // What is there already keeps its names and pins.
    const more = streamsOfModules([moduleOf('climate-wire')], 'UTC', made);
    expect(more.map(({ key, title }) => [key, title])[0]).toEqual(['temperature_4', 'Temperature 4']);
    expect(made.map(({ boardPin }) => boardPin)).not.toContain(more[0]!.boardPin);
  });

  it('are left out of the wiring where a datastream has none, and stand together where they are one', () => {
    expect(wiringOf([{ key: 'a', title: 'A', part: null, boardPin: '' }])).toEqual([]);
    expect(wiringOf([{ key: 'a', title: 'A', part: 'not one of them', boardPin: '' }])).toEqual([]);
    expect(wiringOf([{ key: 'a', title: 'A', part: 'radio-signal', boardPin: '' }])).toEqual([]);
    const both = wiringOf(streamsOfModules([moduleOf('climate-wire')], 'UTC'));
    expect(both.map(({ title }) => title)).toEqual(['Temperature, Humidity']);
  });
});
