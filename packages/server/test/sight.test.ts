import type { LiveMessage } from '@peatmoor/contract';
import { HEARD_BY, heardBy, mayWatch, type PartSeen } from '../src/live/sight';

const part = (isVisitor: boolean): PartSeen => ({
  isVisitor,
  devices: new Map([
    ['north', new Set(['level', 'pump'])],
    ['south', new Set<string>()],
  ]),
});
const visitor = part(true);
const granted = part(false);
const readings = (device: string, ...keys: string[]): LiveMessage => ({
  type: 'readings',
  device,
  values: keys.map((key): [string, number, number] => [key, 1, 2]),
});
const command = (deviceId: string, stream: string) =>
  ({ type: 'command', command: { deviceId, stream, by: 'Warden' } }) as unknown as LiveMessage;

describe('what a page hears that sees only a part', () => {
  it('is of the datastreams it sees, and of no other, in one message too', () => {
    for (const who of [visitor, granted]) {
      expect(heardBy(who, readings('north', 'level', 'temperature'))).toEqual(readings('north', 'level'));
      expect(heardBy(who, readings('north', 'temperature'))).toBeNull();
      expect(heardBy(who, readings('south', 'level'))).toBeNull();
      expect(heardBy(who, readings('elsewhere', 'level'))).toBeNull();
      // Names that every object has are no datastreams.
      expect(heardBy(who, readings('north', 'constructor', 'size'))).toBeNull();
      expect(heardBy(who, { type: 'past', device: 'north', streams: ['temperature', 'pump'] })).toEqual({
        type: 'past',
        device: 'north',
        streams: ['pump'],
      });
      expect(heardBy(who, { type: 'past', device: 'south', streams: ['level'] })).toBeNull();
    }
  });

  it('is what its board has of what is seen, and when a device that is seen was heard', () => {
    for (const who of [visitor, granted]) {
      const has = (device: string, stream: string): LiveMessage => ({
        type: 'has',
        device,
        stream,
        at: 1,
        value: 0,
      });
      expect(heardBy(who, has('north', 'pump'))).toEqual(has('north', 'pump'));
      expect(heardBy(who, has('north', 'valve'))).toBeNull();
      expect(heardBy(who, has('elsewhere', 'pump'))).toBeNull();
      expect(heardBy(who, { type: 'heard', device: 'elsewhere', at: 1 })).toBeNull();
      expect(heardBy(who, { type: 'heard', device: 'north', at: 1 })).not.toBeNull();
    }
  });

  it('is what is wanted of a control for who is granted it, and never for a visitor: a name stands in it', () => {
    expect(heardBy(granted, command('north', 'pump'))).toEqual(command('north', 'pump'));
    expect(heardBy(granted, command('north', 'valve'))).toBeNull();
    expect(heardBy(granted, command('south', 'pump'))).toBeNull();
    expect(heardBy(visitor, command('north', 'pump'))).toBeNull();
  });

  it('is that something changed, without which one and by whom', () => {
    const changed = { type: 'changed', what: 'dashboards', id: 4, by: 'Warden' } as LiveMessage;
    expect(heardBy(visitor, changed)).toEqual({ type: 'changed', what: 'dashboards' });
    for (const what of ['people', 'keys', 'rules', 'links', 'alerts', 'webhooks'])
      expect(heardBy(visitor, { type: 'changed', what } as unknown as LiveMessage)).toBeNull();
  });

  it('is nothing of what goes on inside the workspace', () => {
    for (const [type, by] of Object.entries(HEARD_BY))
      if (by === 'nobody') {
        const message = { type, device: 'north', deviceId: 'north', event: {}, arrival: {} };
        for (const who of [visitor, granted])
          expect([type, heardBy(who, message as unknown as LiveMessage)]).toEqual([type, null]);
      }
    expect(heardBy(visitor, { type: 'beat', now: 1 })).toEqual({ type: 'beat', now: 1 });
  });

  it('is listened to for devices it sees, whatever it asks for', () => {
    expect(mayWatch(visitor, 'all')).toEqual(new Set(['north', 'south']));
    expect(mayWatch(visitor, new Set(['north', 'elsewhere']))).toEqual(new Set(['north']));
    expect(mayWatch(visitor, new Set())).toEqual(new Set());
    expect(mayWatch(null, 'all')).toBe('all');
  });
});
