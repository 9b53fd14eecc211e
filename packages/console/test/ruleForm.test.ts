import { displayOf } from '@peatmoor/core';
import type { Device, Kind, Rule } from '@peatmoor/contract';
import {
  EMPTY_CONDITION,
  readArea,
  readyRule,
  streamsFor,
  streamsOf,
  whomOf,
  type Catalogue,
  type RuleFields,
} from '../src/rules/fields';
import { firstFields } from '../src/rules/firstFields';

// What is written in the form of a rule is what the service is given, in the units of whoever writes.
const stream = (key: string, title: string, type: string, more: object = {}) => ({
  key,
  title,
  type,
  unit: null,
  decimals: null,
  direction: 'report',
  aliases: [],
  choices: [],
  follow: null,
  ...more,
});
const streams = [
  stream('level', 'Water level', 'number', { unit: 'mm', decimals: 0 }),
  stream('warm', 'Peat temperature', 'number', { unit: 'Cel', decimals: 1 }),
  stream('open', 'Lid', 'boolean'),
  stream('place', 'Where', 'location'),
  stream('say', 'Message', 'text'),
  stream('gate', 'Gate', 'number', { direction: 'control', follow: { stream: 'level' } }),
];
const kinds = [{ id: 1, title: 'Dipwell', streams }] as unknown as Kind[];
const devices = [
  { id: 'north', name: 'Dipwell North', kindId: 1, labels: ['moss'] },
  { id: 'south', name: 'Dipwell South', kindId: 1, labels: [] },
] as unknown as Device[];
const catalogue = (units: 'metric' | 'imperial' = 'metric'): Catalogue => ({
  devices,
  kinds,
  displayOf: (one) => displayOf(one, units),
});
const form = (condition: object, more: Partial<RuleFields> = {}): RuleFields => ({
  ...firstFields(undefined, catalogue(), 7, { device: 'north', kind: null, stream: null }),
  conditions: [{ ...EMPTY_CONDITION, ...condition }],
  ...more,
});

it('begins with what it was opened for, and alerts whoever writes it', () => {
  const fields = firstFields(undefined, catalogue(), 7, { device: 'south', kind: null, stream: 'warm' });
  expect(fields).toMatchObject({ whom: 'device:south', people: [7] });
  expect(fields.conditions[0]!.stream).toBe('warm');
  expect(firstFields(undefined, catalogue(), 7, { device: 'gone', kind: '1', stream: null }).whom).toBe(
    'kind:1',
  );
});

it('is ready once nothing is missing', () => {
  expect(readyRule(form({ stream: 'level' }), catalogue())).toBeNull();
  const ready = readyRule(
    form({ stream: 'level', limit: '-100', closeLimit: '-120' }, { holdMs: 60_000 }),
    catalogue(),
  )!;
  expect(ready.sentence).toBe(
    'When Water level of Dipwell North is above -100 mm for 1 min; closes at -120 mm or below.',
  );
  expect(ready.body).toMatchObject({
    title: 'Water level is above -100 mm',
    deviceId: 'north',
    kindId: null,
    label: null,
    comparison: 'above',
    limit: -100,
    closeLimit: -120,
    people: [7],
  });
  expect(ready.body).not.toHaveProperty('withinMs');
  expect(
    readyRule(form({ comparison: 'beyond', stream: 'place', area: '53.4, -1.9' }), catalogue()),
  ).toBeNull();
});

it('keeps limits in the unit of the datastream, and distances as distances', () => {
  const imperial = catalogue('imperial');
  const limit = readyRule(form({ stream: 'warm', limit: '50' }), imperial)!;
  expect(limit.body.limit).toBeCloseTo(10, 9);
  expect(limit.sentence).toContain('is above 50.0 °F');
  // Nine degrees of Fahrenheit are five of Celsius, wherever they begin.
  const rise = readyRule(form({ comparison: 'rises', stream: 'warm', amount: '9' }), imperial)!;
  expect(rise.body.amount).toBeCloseTo(5, 9);
});

it('comes back to the form as it was written', () => {
  for (const units of ['metric', 'imperial'] as const) {
    const written = form(
      { comparison: 'outside', stream: 'warm', low: '40', high: '60', margin: '0.1' },
      {
        whom: 'label:moss',
        repeatMs: 3_600_000,
        hours: { days: [1], from: 60, to: 120 },
        emails: 'a@b.example, c@d.example',
      },
    );
    const { body } = readyRule(written, catalogue(units))!;
    const stored = {
      also: [],
      actions: [],
      own: [],
      escalateMs: null,
      escalateTo: null,
      ...body,
      id: 3,
      version: 1,
      openEvents: 0,
      sentence: '',
    } as unknown as Rule;
    const again = firstFields(stored, catalogue(units), 7, { device: null, kind: null, stream: null });
    for (const [name, value] of Object.entries({ low: 40, high: 60, margin: 0.1 }))
      expect(again.conditions[0]![name as 'low']).toBe(String(value));
    expect(again).toMatchObject({
      whom: 'label:moss',
      repeatMs: 3_600_000,
      hours: { days: [1], from: 60, to: 120 },
      emails: 'a@b.example, c@d.example',
    });
    expect(readyRule(again, catalogue(units))!.sentence).toBe(readyRule(written, catalogue(units))!.sentence);
  }
});

it('offers the datastreams that a condition can watch', () => {
  const keys = (name: Parameters<typeof streamsFor>[0]) =>
    streamsFor(name, streamsOf('kind:1', '', catalogue())).map(({ key }) => key);
  expect(keys('above')).toEqual(['level', 'warm', 'open']);
  expect(keys('rises')).toEqual(['level', 'warm']);
  expect(keys('contains')).toEqual(['say']);
  expect(keys('inside')).toEqual(['place']);
  expect(keys('not-confirmed')).toEqual(['gate']);
  expect(keys('offline')).toEqual([]);
  expect(whomOf('label:moss', catalogue())).toBe('any device labelled “moss”');
  expect(whomOf('kind:1', catalogue())).toBe('any Dipwell');
});

it('reads circles and polygons, and nothing else, as areas', () => {
  expect(readArea('53.4, -1.9, 500')).toEqual({ shape: 'circle', lat: 53.4, lon: -1.9, metres: 500 });
  expect(readArea('53 -2\n54 -2; 54 -1')).toMatchObject({
    shape: 'polygon',
    corners: [{ lat: 53, lon: -2 }, {}, {}],
  });
  for (const text of ['', '53.4', '53.4, -1.9', 'here, there, 4', '1 2\n3 4'])
    expect(readArea(text)).toBeUndefined();
});

it('says a lid as on and off, joins conditions, and drops what is not finished of its actions', () => {
  const ready = readyRule(
    form(
      { stream: 'open' },
      {
        conditions: [
          { ...EMPTY_CONDITION, stream: 'open' },
          { ...EMPTY_CONDITION, comparison: 'silent', device: 'south', stream: 'level', withinMs: 1_800_000 },
        ],
        join: 'any',
        actions: [
          { on: 'opened', device: '', stream: 'gate', value: '60' },
          { on: 'closed', device: '', stream: 'gate', value: '' },
        ],
        escalateMs: 900_000,
      },
    ),
    catalogue(),
  )!;
  expect(ready.sentence).toBe(
    'When Lid of Dipwell North is on or Water level of Dipwell South has no reading for 30 min; closes when all of them are over.',
  );
  expect(ready.body).toMatchObject({
    limit: 0.5,
    closeLimit: null,
    actions: [{ on: 'opened', deviceId: null, stream: 'gate', value: '60' }],
    escalateMs: null,
  });
});
