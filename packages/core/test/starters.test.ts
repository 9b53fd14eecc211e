import {
  connectionText,
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
