import { checkProgram, makeToken, STARTERS, type ProgramFacts } from '@peatmoor/core';
import fc from 'fast-check';
import { stream } from './samples';

const token = makeToken(Uint8Array.from({ length: 26 }, (_, i) => i * 7));
const facts: ProgramFacts = {
  deviceId: 'dipwell-north',
  hosts: ['192.168.1.5'],
  streams: [
    stream({ key: 'water_level', title: 'Water level', pin: 4 }),
    stream({ key: 'pump', title: 'Pump', type: 'boolean', direction: 'control' }),
  ],
  fingerprints: [token.slice(4, 10)],
};
const found = (text: string) =>
  checkProgram(text, facts)
    .filter(({ line }) => line > 0)
    .map(({ line, about, state }) => [line, about, state]);

describe('a program’s text', () => {
  it('has its names compared with the kind, in JSON inside a string too', () => {
    expect(found('doc["water_level"] = 3;\ndoc["watre_level"] = 3;\ndoc["Water Level"] = 1;')).toEqual([
      [1, 'water_level', 'right'],
      [2, 'watre_level', 'wrong'],
      [3, 'Water Level', 'right'],
    ]);
    expect(found('char* body = "{\\"water_leve\\": 3}";')).toEqual([[1, 'water_leve', 'wrong']]);
    expect(found('get("http://192.168.1.5:8420/device/report?access_token=x&pmup=1")')).toEqual([
      [1, '192.168.1.5', 'right'],
      [1, 'pmup', 'wrong'],
    ]);
  });

  it('has its tokens compared by fingerprint, without showing them whole', () => {
    const other = makeToken(new Uint8Array(26).fill(9));
    const list = checkProgram(`T = "${token}"\nU = "${token.slice(0, 30)}"\nV = "${other}"`, facts).filter(
      ({ line }) => line > 0,
    );
    expect(list.map(({ state }) => state)).toEqual(['right', 'wrong', 'wrong']);
    expect(JSON.stringify(list)).not.toContain(token.slice(10, 30));
    expect(list[1]!.says).toContain('half-copied');
  });

  it('has its topics and addresses compared', () => {
    expect(
      found(
        [
          'publish("moor/dipwell-north/report", x)',
          'publish("moor/dipwell-south/report", x)',
          'publish("moor/dipwell-north/rapport", x)',
          'publish("moor/dipwell-north/report/4", x)',
          'publish("moor/dipwell-north/report/levle", x)',
          'publish("moor/%s/report", x)',
          'host = "localhost"',
          'host = "192.168.1.9"',
        ].join('\n'),
      ),
    ).toEqual([
      [1, 'moor/dipwell-north/report', 'right'],
      [2, 'moor/dipwell-south/report', 'wrong'],
      [3, 'moor/dipwell-north/rapport', 'wrong'],
      [4, '4', 'right'],
      [7, 'localhost', 'wrong'],
      [8, '192.168.1.9', 'look'],
    ]);
  });

  it('is told which datastreams it does not name', () => {
    const missing = checkProgram('doc["pump"]', facts).filter(({ line }) => line === 0);
    expect(missing.map(({ about }) => about)).toEqual(['water_level']);
  });

  it('of a starter is right as it is', () => {
    const plan = {
      deviceId: 'dipwell-north',
      deviceName: 'Dipwell North',
      host: '192.168.1.5',
      mqttPort: 1883,
      httpUrl: 'http://192.168.1.5:8420',
      token,
      intervalS: 60,
      streams: facts.streams,
    };
    for (const sort of ['cpp', 'python'] as const) {
      const text = STARTERS[sort]
        .make(plan)
        .map((file) => file.text)
        .join('\n');
      expect(checkProgram(text, facts).filter(({ state }) => state === 'wrong')).toEqual([]);
    }
  });

  it('of any sort is looked at without a fault', () => {
    fc.assert(fc.property(fc.string({ maxLength: 400 }), (text) => Array.isArray(checkProgram(text, facts))));
  });
});
