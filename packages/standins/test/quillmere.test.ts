import {
  boardModel,
  quillmereOthers,
  noise,
  QUILLMERE_DEVICES,
  QUILLMERE_KINDS,
  quillmereHistory,
  rainRate,
} from '@peatmoor/standins';
import { newKindSchema } from '@peatmoor/contract';
import { isNumeric, isReportable, isTaken, takeValue, type Datastream } from '@peatmoor/core';

const UNTIL = Date.UTC(2026, 4, 1, 12);
const DAY = 86_400_000;
const kinds = Object.fromEntries(
  Object.entries(QUILLMERE_KINDS).map(([name, kind]) => [
    name,
    newKindSchema.cast(structuredClone(kind) as never),
  ]),
);
const streamOf = (kind: string, key: string): Datastream =>
  kinds[kind]!.streams.find((one) => one.key === key)! as unknown as Datastream;

describe('the made-up history of Quillmere Moss', () => {
  const history = quillmereHistory(UNTIL);

  it('is the same whenever it is made for the same moment', () => {
    expect(quillmereHistory(UNTIL, 3)).toEqual(quillmereHistory(UNTIL, 3));
    expect([noise(3, 7), noise(3, 8), noise(4, 7)]).toEqual([noise(3, 7), noise(3, 8), noise(4, 7)]);
    expect(new Set([noise(3, 7), noise(3, 8), noise(4, 7)]).size).toBe(3);
  });

  it('has thirty days of every datastream that a device reports, in order of time', () => {
    for (const { id, kind } of QUILLMERE_DEVICES) {
      const mine = history.filter(({ device }) => device === id);
      const reported = kinds[kind]!.streams.filter((one) => isReportable(one) && isNumeric(one)).map(
        ({ key }) => key,
      );
      expect(mine.map(({ key }) => key).sort()).toEqual([...reported].sort());
      for (const { times } of mine) {
        expect(UNTIL - times[0]!).toBeGreaterThan(29.9 * DAY);
        expect(times.at(-1)).toBeLessThan(UNTIL);
        expect(times.every((at, i) => i === 0 || at > times[i - 1]!)).toBe(true);
      }
    }
  });

  it('has no gaps in its last hour, where the interval of the board says that there would be', () => {
    const gaps = history
      .filter(({ device }) => /^(dipwell-n|sluice)/.test(device))
      .map(({ device, times }) => {
        const kind = QUILLMERE_DEVICES.find(({ id }) => id === device)!.kind;
        const last = times.filter((at) => UNTIL - at < 3_600_000);
        const widest = Math.max(...last.slice(1).map((at, i) => at - last[i]!));
        return widest / 1000 / kinds[kind]!.intervalS;
      });
    expect(gaps.length).toBeGreaterThan(4);
    expect(Math.max(...gaps)).toBe(1);
  });

  it('has only values that the service would take', () => {
    for (const { device, key, values } of history) {
      const { kind } = QUILLMERE_DEVICES.find(({ id }) => id === device)!;
      const stream = streamOf(kind, key);
      const refused = values.filter(
        (value) => !isTaken(takeValue(stream, stream.type === 'boolean' ? value === 1 : value)),
      );
      expect([device, key, refused.slice(0, 3)]).toEqual([device, key, []]);
    }
  });

  it('has one silent night, so that a gap is there to be seen', () => {
    const { times } = history.find(({ device, key }) => device === 'dipwell-south' && key === 'water_level')!;
    const gaps = times.slice(1).map((at, i) => at - times[i]!);
    expect(Math.max(...gaps) / 3_600_000).toBeGreaterThan(4.5);
    expect(gaps.filter((gap) => gap > 3_600_000)).toHaveLength(1);
  });

  it('counts tips of the rain meter that agree with the rain', () => {
    const rain = history.find(({ key }) => key === 'rain')!.values.reduce((sum, mm) => sum + mm, 0);
    const tips = history.find(({ key }) => key === 'tips')!.values;
    expect(tips.every((count, i) => i === 0 || count >= tips[i - 1]!)).toBe(true);
    expect(rain).toBeCloseTo(tips.at(-1)! * 0.2, 3);
    expect(rain).toBeGreaterThan(1);
  });

  it('has places of the pony on the moss, and pictures that the service would take', () => {
    const others = quillmereOthers(UNTIL);
    for (const { device, key, value } of others) {
      const { kind } = QUILLMERE_DEVICES.find(({ id }) => id === device)!;
      expect([device, isTaken(takeValue(streamOf(kind, key), value))]).toEqual([device, true]);
    }
    const places = others.flatMap(({ value }) => ('lat' in value ? [value] : []));
    expect(places.length).toBeGreaterThan(200);
    expect(places.every(({ lat, lon }) => Math.abs(lat - 53.42) < 0.01 && Math.abs(lon + 1.867) < 0.01)).toBe(
      true,
    );
    const pictureOf = (all: typeof others): Uint8Array =>
      all.flatMap(({ value }) => (value instanceof Uint8Array ? [value] : []))[0]!;
    const picture = pictureOf(others);
    expect(Buffer.compare(pictureOf(quillmereOthers(UNTIL)), picture)).toBe(0);
    expect(picture.length).toBeLessThan(512 * 1024);
  });

  it('has dry spells and showers', () => {
    const hours = Array.from({ length: 30 * 24 }, (_, i) => rainRate(UNTIL - i * 3_600_000));
    expect(hours.filter((rate) => rate === 0).length).toBeGreaterThan(300);
    expect(Math.max(...hours)).toBeGreaterThan(0.5);
    expect(Math.min(...hours)).toBe(0);
  });
});

describe('a simulated sluice', () => {
  /** Lets time pass in steps of five seconds; gives what it reports. */
  const run = (model: ReturnType<typeof boardModel>, steps: number, start = UNTIL) =>
    Array.from({ length: steps }, (_, i) => model.read(start + i * 5000) as Record<string, number | boolean>);

  it('on automatic rises past the limit of the demo’s rule and falls again, within ten minutes', () => {
    const levels = run(boardModel('sluice', 5), 120).map(({ upstream_level }) => upstream_level as number);
    const crossed = levels.findIndex((level) => level > 900);
    expect(crossed).toBeGreaterThan(0);
    expect(levels.slice(crossed).some((level) => level < 850)).toBe(true);
    expect(Math.max(...levels)).toBeLessThan(1200);
  });

  it('obeys: goes where it is wanted, runs its motor on the way, and leaves automatic', () => {
    const model = boardModel('sluice', 5);
    run(model, 2);
    expect(model.apply('opening_wanted', 40)).toBe(true);
    const after = run(model, 12, UNTIL + 10_000);
    expect(after.some(({ motor }) => motor === true)).toBe(true);
    expect(after.at(-1)).toMatchObject({ opening: 40, motor: false, automatic: false });
    expect(model.apply('automatic', 1)).toBe(true);
    expect(run(model, 1, UNTIL + 100_000)[0]).toMatchObject({ automatic: true });
    expect(model.apply('horn', 1)).toBe(true);
    expect(model.apply('nothing', 1)).toBe(false);
  });

  it('reports only what its kind declares, and what the service would take', () => {
    for (const { kind, seed } of QUILLMERE_DEVICES) {
      for (const row of run(boardModel(kind, seed), 50))
        for (const [key, value] of Object.entries(row))
          expect([key, isTaken(takeValue(streamOf(kind, key), value))]).toEqual([key, true]);
      if (kind !== 'sluice') expect(boardModel(kind, seed).apply('opening_wanted', 1)).toBe(false);
    }
  });
});
