import {
  connectionText,
  keepSettings,
  madeUp,
  pasteLines,
  STARTER_SORTS,
  STARTERS,
  TOKEN_PLACEHOLDER,
  type StarterPlan,
} from '@peatmoor/core';
import { stream } from './samples';

const plan: StarterPlan = {
  deviceId: 'sluice-mill',
  deviceName: 'Mill sluice */ "x"\nnew line',
  host: '10.0.0.7',
  mqttPort: 1883,
  httpUrl: 'http://10.0.0.7:8420',
  token: null,
  intervalS: 30,
  streams: [
    stream({ key: 'upstream_level' }),
    stream({ key: 'gate', type: 'boolean', direction: 'control', unit: null, min: null, max: null }),
  ],
};

it.each(STARTER_SORTS)('makes a %s project with secrets in one generated file only', (sort) => {
  const files = STARTERS[sort].make({ ...plan, token: 'moorsecret' });
  expect(files.filter(({ text }) => text.includes('moorsecret')).map(({ generated }) => generated)).toEqual([
    true,
  ]);
  const program = files.map(({ text }) => text).join('\n');
  // The shell one reads no control by itself: its maker adds the lines.
  const controls = sort === 'shell' ? [] : ['gate', 'applied'];
  for (const part of ['upstream_level', 'refused', 'interval', ...controls]) expect(program).toContain(part);
});

it.each(STARTER_SORTS)('lets no name break out of a comment in %s', (sort) => {
  for (const { text } of STARTERS[sort].make(plan)) expect(text).not.toContain('\nnew line');
});

it('puts all that a board needs into one text', () => {
  const text = connectionText(
    { httpUrl: 'http://10.0.0.7:8420', host: '10.0.0.7', mqttPort: 1883 },
    'a-b',
    'moorx',
  );
  const query = new URLSearchParams(text.slice('peatmoor:connect?'.length));
  expect(Object.fromEntries(query)).toEqual({
    http: 'http://10.0.0.7:8420',
    mqtt: '10.0.0.7:1883',
    device: 'a-b',
    token: 'moorx',
  });
});

it('makes lines to paste for the first datastream that is reported', () => {
  const lines = pasteLines(plan);
  expect(lines.curl).toContain(`'{"upstream_level": -300}' http://10.0.0.7:8420/device/report`);
  expect(lines.mosquittoPlain).toContain('-t moor/sluice-mill/report/upstream_level -m -300');
  expect(lines.curlGet).toContain(TOKEN_PLACEHOLDER);
});

describe('a starter written over another', () => {
  const settingsOf = (sort: (typeof STARTER_SORTS)[number], change: Partial<StarterPlan> = {}): string =>
    STARTERS[sort].make({ ...plan, ...change }).find(({ path }) => path.includes('settings'))!.text;

  it.each(STARTER_SORTS)('keeps the token of the same device in %s, and of no other', (sort) => {
    const there = settingsOf(sort, { token: 'moorsecret' });
    expect(keepSettings(settingsOf(sort), there)).toContain('moorsecret');
    expect(keepSettings(settingsOf(sort, { deviceId: 'another' }), there)).not.toContain('moorsecret');
    expect(keepSettings(settingsOf(sort, { token: 'moornew' }), there)).toContain('moornew');
    // Nothing filled in: made anew as it is.
    expect(keepSettings(settingsOf(sort), settingsOf(sort))).toBe(settingsOf(sort));
  });

  it.each(['cpp', 'cpp-http', 'micropython'] as const)('keeps the Wi-Fi that was filled in in %s', (sort) => {
    const wifi = { name: 'moss "hut" #1', password: "it's // wet" };
    const kept = keepSettings(settingsOf(sort, { host: '10.9.9.9' }), settingsOf(sort, { wifi }));
    expect(kept).toContain(JSON.stringify(wifi.name));
    expect(kept).toContain(JSON.stringify(wifi.password));
    expect(kept).not.toContain('<- your Wi-Fi');
    if (sort !== 'cpp-http') expect(kept).toContain('10.9.9.9');
  });

  it('keeps pins and other choices of the maker', () => {
    const changed = settingsOf('cpp-cellular')
      .replace('MODEM_RX_PIN 26', 'MODEM_RX_PIN 4')
      .replace('DEEP_SLEEP 0', 'DEEP_SLEEP 1');
    const kept = keepSettings(settingsOf('cpp-cellular'), changed);
    expect(kept).toContain('MODEM_RX_PIN 4');
    expect(kept).toContain('DEEP_SLEEP 1');
  });
});

it('makes up values that are believable for their unit and stay in range', () => {
  const made = (change: Parameters<typeof stream>[0]) => madeUp(stream({ min: null, max: null, ...change }));
  expect(made({ unit: 'Cel' }).middle).toBe(18);
  expect(made({ unit: 'Cel', min: -200, max: 1350 }).middle).toBe(18);
  expect(made({ unit: 'hPa' }).middle).toBe(1013);
  expect(made({ unit: 'mm', min: -800, max: 200 }).middle).toBe(-300);
  expect(made({ unit: 'Cel', min: 100, max: 200 }).middle).toBe(150);
  for (const [min, max] of [
    [0, 1],
    [0, 0.2],
    [5, 5.01],
    [-1, null],
    [null, -3],
  ] as const) {
    for (const type of ['number', 'integer'] as const) {
      const { middle, spread } = made({ type, min, max, unit: null });
      expect(middle - spread).toBeGreaterThanOrEqual(min ?? -Infinity);
      if (type === 'number') expect(middle + spread).toBeLessThanOrEqual(max ?? Infinity);
    }
  }
});
