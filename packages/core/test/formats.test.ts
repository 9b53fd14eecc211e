import fc from 'fast-check';
import {
  decodeJsonReport,
  decodePairs,
  decodePlain,
  indexNames,
  isRefusal,
  takeReport,
  type DecodedReport,
} from '@peatmoor/core';
import { stream } from './samples';

const NOW = Date.UTC(2026, 4, 1, 12);
const index = indexNames([
  stream({ pin: 4 }),
  stream({ key: 'accel_x', min: null, max: null, unit: null }),
  stream({ key: 'gate', type: 'boolean', direction: 'control', unit: null, min: null, max: null }),
]);

function take(report: DecodedReport | { reason: string }) {
  if ('reason' in report) throw new Error(`refused: ${report.reason}`);
  const { accepted, refused } = takeReport(index, report, NOW);
  return {
    accepted: accepted.map(({ stream: { key }, at, value }) => [key, at, value]),
    refused: refused.map(({ name, reason }) => [name, reason]),
  };
}

describe('a JSON report', () => {
  it('is an object of names and values, nested ones laid flat', () => {
    expect(take(decodeJsonReport('{"level":-121,"accel":{"x":0.5},"n":7}', NOW))).toEqual({
      accepted: [
        ['level', NOW, -121],
        ['accel_x', NOW, 0.5],
      ],
      refused: [],
    });
    expect(decodeJsonReport('{"level":-121,"n":7}', NOW)).toMatchObject({ number: 7 });
  });

  it('may be rows with times of their own', () => {
    const rows = [
      { at: NOW - 2000, level: -1 },
      { at: new Date(NOW - 1000).toISOString(), level: -2 },
    ];
    expect(take(decodeJsonReport(JSON.stringify(rows), NOW)).accepted).toEqual([
      ['level', NOW - 2000, -1],
      ['level', NOW - 1000, -2],
    ]);
  });

  it('keeps the good values beside a bad one, and says why', () => {
    expect(take(decodeJsonReport('{"level":-121,"levl":3,"gate":1}', NOW))).toEqual({
      accepted: [['level', NOW, -121]],
      refused: [
        ['levl', 'unknown-name'],
        ['gate', 'not-reportable'],
      ],
    });
  });

  it('refuses every value of a row whose time is wrong', () => {
    expect(take(decodeJsonReport(`{"at":${NOW + 9e6},"level":1}`, NOW)).refused).toEqual([
      ['at', 'in-the-future'],
      ['level', 'in-the-future'],
    ]);
  });

  it('refuses two values for one name and time, and takes the same value twice as one', () => {
    expect(take(decodeJsonReport('{"level":1,"4":2}', NOW))).toEqual({
      accepted: [],
      refused: [['level', 'repeated-name']],
    });
    expect(take(decodeJsonReport('{"level":1,"Level":1}', NOW)).accepted).toHaveLength(1);
  });

  it.each([
    ['', 'empty'],
    ['{"level": -12', 'cut off|character'],
    ["{'level': 1}", 'double quotation'],
    ['{“level”: 1}', 'straight'],
    ['{"level": NaN}', 'NaN'],
    ['[]', 'empty'],
    ['{}', 'no value'],
    ['5', 'object'],
    ['[1,2]', 'object'],
    ['{"a":{"b":{"c":{"d":{"e":{"f":{"g":{"h":{"i":1}}}}}}}}}', 'nested'],
  ])('says what is wrong with %p', (text, hint) => {
    const outcome = decodeJsonReport(text, NOW);
    expect(outcome).toMatchObject({ reason: 'unreadable', hint: expect.stringMatching(hint) });
  });

  it('takes at most ten thousand values', () => {
    const rows = Array.from({ length: 10_001 }, (_, i) => ({ at: NOW - i, level: 1 }));
    expect(decodeJsonReport(JSON.stringify(rows), NOW)).toMatchObject({ reason: 'too-large' });
  });

  it('never throws, and accounts for every value it decoded', () => {
    fc.assert(
      fc.property(fc.oneof(fc.string(), fc.json()), (text) => {
        const report = decodeJsonReport(text, NOW);
        if (isRefusal(report)) return;
        const { accepted, refused } = takeReport(index, report, NOW);
        expect(accepted.length + refused.length).toBeGreaterThan(0);
      }),
    );
  });
});

describe('pairs and plain values', () => {
  it('takes names and values from a line', () => {
    const report = decodePairs([
      ['access_token', 'secret'],
      ['4', '-121'],
      ['n', '3'],
    ]);
    expect(report).toMatchObject({ number: 3 });
    expect(take(report).accepted).toEqual([['level', NOW, -121]]);
    expect(decodePairs([['access_token', 'x']])).toMatchObject({ reason: 'unreadable' });
  });

  it('takes a plain value by key and by virtual pin', () => {
    expect(take(decodePlain('level', '-5')).accepted).toEqual([['level', NOW, -5]]);
    expect(take(decodePlain('4', '-5')).accepted).toEqual([['level', NOW, -5]]);
    expect(take(decodePlain('level', 'nan')).refused).toEqual([['level', 'not-finite']]);
  });
});
