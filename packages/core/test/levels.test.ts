import { levelsOn, type LevelRule } from '../src';

const device = { id: 'dipwell-north', kindId: 3, labels: ['moss', 'north'] };
const rule = (change: Partial<LevelRule>): LevelRule => ({
  active: true,
  deviceId: null,
  kindId: 3,
  label: null,
  stream: 'level',
  comparison: 'above',
  limit: -100,
  also: [],
  own: [],
  ...change,
});
const levels = (change: Partial<LevelRule>, stream = 'level'): number[] =>
  levelsOn(rule(change), device, stream);

it.each<[string, Partial<LevelRule>, number[]]>([
  ['of a kind', {}, [-100]],
  ['of a device', { kindId: null, deviceId: 'dipwell-north' }, [-100]],
  ['of a label', { kindId: null, label: 'north' }, [-100]],
  ['of another label', { kindId: null, label: 'south' }, []],
  ['of another kind', { kindId: 4 }, []],
  ['off', { active: false }, []],
  ['both ends of a range', { comparison: 'outside', limit: undefined, low: -250, high: -60 }, [-250, -60]],
  ['no level of the value', { comparison: 'rises', limit: 5 }, []],
  ['a limit of its own', { own: [{ deviceId: 'dipwell-north', limit: -80, leftOut: false }] }, [-80]],
  ['of which it is left out', { own: [{ deviceId: 'dipwell-north', limit: null, leftOut: true }] }, []],
  [
    'a second condition on it, at another level and at the same',
    {
      stream: 'temperature',
      also: [
        { comparison: 'below', stream: 'level', limit: -400 },
        { comparison: 'above', stream: 'level', deviceId: 'dipwell-north', limit: -400 },
        { comparison: 'above', stream: 'level', deviceId: 'dipwell-south', limit: -1 },
      ],
    },
    [-400],
  ],
  [
    'looked at by a rule that watches others',
    {
      kindId: 4,
      stream: 'flow',
      also: [{ comparison: 'above', stream: 'level', deviceId: device.id, limit: 7 }],
    },
    [7],
  ],
])('levels of a rule: %s', (_, change, wanted) => {
  expect(levels(change)).toEqual(wanted);
});

it('says nothing of another datastream', () => {
  expect(levels({}, 'temperature')).toEqual([]);
});
