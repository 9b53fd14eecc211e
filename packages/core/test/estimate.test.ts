import fc from 'fast-check';
import { estimateCost, LINE_WAYS, showBytes, type Datastream, type LineWay } from '@peatmoor/core';
import { stream } from './samples';

const level = stream();
const warmth = stream({ key: 'temperature', unit: 'Cel', min: -40, max: 60, decimals: 1 });
const pump = stream({ key: 'pump', type: 'boolean', direction: 'control' });
const picture = stream({ key: 'picture', type: 'image' });
const note = stream({ key: 'note', type: 'text' });
const place = stream({ key: 'place', type: 'location' });
const ways = Object.keys(LINE_WAYS) as LineWay[];

describe('what a kind costs', () => {
  it('is near to what a message really takes on the line', () => {
    const { lineBytesADay } = estimateCost([level, warmth], 86_400);
    const payload = JSON.stringify({ n: 12_345, level: -121, temperature: 8.5 }).length;
    // Topic, headers of MQTT, acknowledgement, three packets; and the pings of a day.
    const pings = 2880 * 124;
    expect(lineBytesADay.mqtt - pings).toBeGreaterThan(payload + 120);
    expect(lineBytesADay.mqtt - pings).toBeLessThan(payload + 230);
  });

  it('is more for HTTPS than for HTTP, and less for ten rows at once', () => {
    const { lineBytesADay } = estimateCost([level, warmth], 60);
    expect(lineBytesADay.https).toBeGreaterThan(lineBytesADay.http * 2);
    expect(lineBytesADay.batches).toBeLessThan(lineBytesADay.http / 3);
    expect(lineBytesADay.mqttPlain).toBeGreaterThan(lineBytesADay.mqtt);
  });

  it('counts readings a day, and not what people control or what is computed on the line', () => {
    const computed: Datastream = stream({ key: 'made', computation: { form: 'change', of: 'level' } });
    const plain = estimateCost([level], 60);
    expect(plain.readingsADay).toBe(1440);
    expect(estimateCost([level, pump], 60)).toEqual(plain);
    const more = estimateCost([level, computed], 60);
    expect(more.lineBytesADay).toEqual(plain.lineBytesADay);
    expect(more.storedBytesAYear.most).toBe(plain.storedBytesAYear.most * 2);
  });

  it('knows that pictures, texts and places take more than numbers', () => {
    const stored = (one: Datastream): number => estimateCost([one], 600).storedBytesAYear.most;
    expect(stored(note)).toBeGreaterThan(stored(level) * 5);
    expect(stored(place)).toBeGreaterThan(stored(level) * 5);
    expect(stored(picture)).toBeGreaterThan(stored(note) * 500);
    expect(estimateCost([picture], 600).lineBytesADay.http).toBeGreaterThan(144 * 60_000);
  });

  it('grows with what is measured and how often, whatever the kind', () => {
    const some = fc.constantFrom(level, warmth, note, place, picture, pump);
    fc.assert(
      fc.property(
        fc.array(some, { maxLength: 6 }),
        some,
        fc.integer({ min: 1, max: 86_400 }),
        (list, more, every) => {
          const less = estimateCost(list, every * 2);
          const base = estimateCost(list, every);
          const wider = estimateCost([...list, more], every);
          for (const way of ways) {
            expect(base.lineBytesADay[way]).toBeGreaterThanOrEqual(less.lineBytesADay[way]);
            expect(wider.lineBytesADay[way]).toBeGreaterThanOrEqual(base.lineBytesADay[way]);
          }
          expect(base.storedBytesAYear.least).toBeLessThanOrEqual(base.storedBytesAYear.most);
          expect(wider.storedBytesAYear.most).toBeGreaterThanOrEqual(base.storedBytesAYear.most);
        },
      ),
    );
  });

  it.each([
    [0, '0 bytes'],
    [999, '999 bytes'],
    [1000, '1.0 kB'],
    [12_345, '12 kB'],
    [9_900_000, '9.9 MB'],
    [5.2e9, '5.2 GB'],
    [7e15, '7000 TB'],
  ])('shows %d bytes as people read them', (bytes, words) => expect(showBytes(bytes)).toBe(words));
});
