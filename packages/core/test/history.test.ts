import { deflateSync } from 'node:zlib';
import fc from 'fast-check';
import {
  asStored,
  BatchBuilder,
  bucketColumns,
  bucketRollups,
  HOUR_MS,
  mergeColumns,
  orderColumns,
  packBatch,
  packColumns,
  packRollups,
  planBuckets,
  rollUp,
  sliceColumns,
  mergeBack,
  unpackBatch,
  unpackColumns,
  unpackRollups,
  type Columns,
} from '@peatmoor/core';

const value = fc.oneof(
  fc.integer({ min: -100_000, max: 100_000 }),
  fc.integer({ min: -1e6, max: 1e6 }).map((n) => n / 100),
  fc.double({ noNaN: true, noDefaultInfinity: true }),
);
const reading = fc.tuple(fc.integer({ min: 0, max: 4e12 }), value);
const near = fc.tuple(fc.integer({ min: 0, max: 200 }), fc.integer({ min: -5, max: 5 }));
const columns = (pairs: [number, number][]): Columns =>
  // A negative zero is a zero: no reading needs its sign.
  orderColumns({ times: pairs.map(([at]) => at), values: pairs.map(([, v]) => v + 0) });

it('unpacks what was packed, to the last bit', () => {
  fc.assert(
    fc.property(fc.array(reading, { maxLength: 300 }), (pairs) => {
      const original = columns(pairs);
      expect(unpackColumns(packColumns(original))).toEqual(original);
    }),
  );
});

it('packs steady readings of one decimal into few bytes', () => {
  const steady = columns(
    Array.from({ length: 1000 }, (_, i) => [1e12 + i * 5000, Math.round(Math.sin(i / 50) * 100) / 10]),
  );
  expect(packColumns(steady).length / 1000).toBeLessThan(2.1);
});

it('refuses damaged packed readings', () => {
  const bytes = packColumns(
    columns([
      [1, 1.5],
      [2, 2.5],
      [3, Math.PI],
    ]),
  );
  expect(() => unpackColumns(bytes.subarray(0, bytes.length - 3))).toThrow(RangeError);
});

it('merges without loss: idempotent, and the later reading of one time wins', () => {
  fc.assert(
    fc.property(fc.array(near, { maxLength: 60 }), fc.array(near, { maxLength: 60 }), (a, b) => {
      const earlier = columns(a);
      const later = columns(b);
      const merged = mergeColumns(earlier, later);
      expect(merged).toEqual(columns([...a, ...b]));
      expect(mergeColumns(merged, later)).toEqual(merged);
      expect(new Map(merged.times.map((at, i) => [at, merged.values[i]]))).toEqual(
        new Map([
          ...earlier.times.map((at, i) => [at, earlier.values[i]] as const),
          ...later.times.map((at, i) => [at, later.values[i]] as const),
        ]),
      );
    }),
  );
});

it('slices by time', () => {
  expect(
    sliceColumns(
      columns([
        [1, 1],
        [5, 2],
        [9, 3],
      ]),
      2,
      9,
    ),
  ).toEqual({ times: [5], values: [2] });
});

it('rolls up without losing a reading or an extreme', () => {
  fc.assert(
    fc.property(fc.array(near, { minLength: 1, maxLength: 80 }), (pairs) => {
      const all = columns(pairs);
      const rollups = rollUp(all, 25);
      expect(rollups.reduce((sum, one) => sum + one.count, 0)).toBe(all.times.length);
      expect(Math.max(...rollups.map((one) => one.max))).toBe(Math.max(...all.values));
      expect(Math.min(...rollups.map((one) => one.min))).toBe(Math.min(...all.values));
      expect(rollups.at(-1)!.last).toBe(all.values.at(-1));
    }),
  );
});

it('makes the same buckets from rollups as from the readings', () => {
  fc.assert(
    fc.property(fc.array(near, { maxLength: 80 }), (pairs) => {
      const all = columns(pairs);
      const plain = (buckets: ReturnType<typeof bucketColumns>) =>
        buckets.map(({ spread: _, ...rest }) => rest);
      const [joined, whole] = [bucketRollups(rollUp(all, 10), 50), bucketColumns(all, 50)];
      expect(plain(joined)).toEqual(plain(whole));
      for (const [i, { spread }] of whole.entries())
        expect(Math.abs(joined[i]!.spread - spread)).toBeLessThanOrEqual(1e-9 * (1 + spread));
    }),
  );
});

it('plans buckets that cover the period and are not too many', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 0, max: 4e12 }),
      fc.integer({ min: 1, max: 1e11 }),
      fc.integer({ min: 2, max: 1000 }),
      (from, length, most) => {
        const plan = planBuckets(from, from + length, most);
        expect(plan.from).toBeLessThanOrEqual(from);
        expect(plan.to).toBeGreaterThanOrEqual(from + length);
        expect((plan.to - plan.from) / plan.spanMs).toBeLessThanOrEqual(most + 1);
        expect(plan.spanMs % (plan.rollupMs ?? plan.spanMs)).toBe(0);
        if (plan.spanMs >= HOUR_MS) expect(plan.rollupMs).toBeGreaterThanOrEqual(HOUR_MS);
      },
    ),
  );
});

it('carries a journal batch through bytes', () => {
  fc.assert(
    fc.property(
      fc.array(fc.tuple(fc.integer({ min: 0, max: 2 ** 32 - 1 }), fc.integer({ min: 0, max: 4e12 }), value)),
      (rows) => {
        const batch = {
          series: rows.map((r) => r[0]),
          times: rows.map((r) => r[1]),
          values: rows.map((r) => r[2]),
        };
        const { series, times, values } = unpackBatch(packBatch(batch)).batch;
        expect({
          series: Array.from(series),
          times: Array.from(times),
          values: Array.from(values),
        }).toEqual(batch);
        const builder = new BatchBuilder();
        for (const row of rows) builder.add(...row);
        expect(packBatch(builder.batch())).toEqual(packBatch(batch));
      },
    ),
  );
  const facts = [{ kind: 'online', device: 3, at: 5 }] as const;
  const withFacts = packBatch({ series: [1], times: [2], values: [3] }, facts);
  expect(unpackBatch(withFacts).facts).toEqual(facts);
  expect(Array.from(unpackBatch(withFacts).batch.values)).toEqual([3]);
  expect(() => unpackBatch(withFacts.subarray(0, -3))).toThrow(RangeError);
  expect(() => unpackBatch(packBatch({ series: [1], times: [2], values: [3] }).subarray(0, 20))).toThrow(
    RangeError,
  );
});

it('carries rollups through bytes, and values of any sort', () => {
  fc.assert(
    fc.property(fc.array(near, { maxLength: 80 }), (pairs) => {
      const rollups = rollUp(columns(pairs), 25);
      const unknown = rollups.map((one) => ({ ...one, spread: Number.NaN }));
      expect(unpackRollups(packRollups(rollups, 25), 25)).toEqual(unknown);
    }),
  );
});

it('carries times between the milliseconds through bytes', () => {
  fc.assert(
    fc.property(fc.uniqueArray(fc.integer({ min: 0, max: 4e6 }), { maxLength: 50 }), (quarters) => {
      const times = quarters.sort((a, b) => a - b).map((one) => 1.7e12 + one / 4);
      const all = { times, values: times.map((_, i) => i) };
      expect(unpackColumns(packColumns(all))).toEqual(all);
    }),
  );
});

it('carries times that nodes gave beside each other, in 1024ths, in hardly more room', () => {
  const part = fc.integer({ min: 0, max: 1023 });
  const place = fc.tuple(fc.integer({ min: 0, max: 1e6 }), part);
  fc.assert(
    fc.property(fc.uniqueArray(place, { selector: String, maxLength: 50 }), (places) => {
      const times = places.map(([ms, one]) => 1.7e12 + ms + one / 1024).sort((a, b) => a - b);
      const all = { times, values: times.map((_, i) => i) };
      expect(unpackColumns(packColumns(all))).toEqual(all);
    }),
  );
  const given = (parts: number[]): Columns => {
    const times = Array.from({ length: 1000 }, (_, i) => 1.7e12 + i * 5000 + parts[i % parts.length]! / 1024);
    return { times, values: times.map(() => 20) };
  };
  const [one, several] = [given([517]), given([517, 530, 515])].map(
    (all) => deflateSync(packColumns(all)).length,
  );
  expect([one! < 60, several! < 100]).toEqual([true, true]);
});

it('packs single-precision values in four bytes each, and others in eight', () => {
  const times = Array.from({ length: 200 }, (_, i) => i * 1000);
  const singles = { times, values: times.map((at) => Math.fround(Math.sin(at))) };
  const doubles = { times, values: times.map((at) => Math.sin(at)) };
  expect(unpackColumns(packColumns(singles))).toEqual(singles);
  expect(unpackColumns(packColumns(doubles))).toEqual(doubles);
  expect(packColumns(singles).length).toBeLessThan(200 * 4 + 230);
  expect(packColumns(doubles).length).toBeLessThan(200 * 8 + 230);
});

it('reads what the first version left in a journal', () => {
  const bytes = new Uint8Array(8 + 2 * 20);
  const view = new DataView(bytes.buffer);
  view.setUint32(0, 0x504d_3031);
  view.setUint32(4, 2, true);
  [7, 9].forEach((series, i) => view.setUint32(8 + i * 4, series, true));
  [1000, 2000].forEach((time, i) => view.setFloat64(16 + i * 8, time, true));
  [1.5, -3].forEach((value, i) => view.setFloat64(32 + i * 8, value, true));
  const { batch, facts } = unpackBatch(bytes);
  expect([Array.from(batch.series), Array.from(batch.times), Array.from(batch.values), facts]).toEqual([
    [7, 9],
    [1000, 2000],
    [1.5, -3],
    [],
  ]);
  expect(() => unpackBatch(bytes.subarray(0, 40))).toThrow('cut short');
});

describe('parts of a day', () => {
  const FULL = 20_000;
  /** Folds batches one after the other; gives the sizes of the parts and how often readings were written. */
  const fold = (batches: readonly number[]): { parts: number[]; written: number } => {
    let parts: number[] = [];
    let written = 0;
    for (const fresh of batches) {
      const back = mergeBack(parts, fresh, FULL);
      const merged = parts.slice(parts.length - back).reduce((sum, one) => sum + one, fresh);
      parts = [...parts.slice(0, parts.length - back), merged];
      written += merged;
    }
    return { parts, written };
  };

  it.each([
    ['a device a minute, folded every five minutes', Array.from({ length: 288 }, () => 5)],
    ['a device every two seconds', Array.from({ length: 288 }, () => 150)],
    ['a fast one, folded every five seconds', Array.from({ length: 17_280 }, () => 50)],
    ['one that reports now and then', Array.from({ length: 288 }, () => 1)],
  ])('are written three times at the most, %s', (_what, batches) => {
    const { parts, written } = fold(batches);
    const readings = batches.reduce((sum, one) => sum + one, 0);
    // Once more when the day is over.
    expect(written / readings).toBeLessThanOrEqual(batches.length > 1000 ? 5 : 3);
    expect(parts.length).toBeLessThanOrEqual(25 + readings / 9000);
  });

  it('stay few whatever comes, and never grow beyond full ones', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 400 }), { maxLength: 300 }), (batches) => {
        const { parts, written } = fold(batches);
        const readings = batches.reduce((sum, one) => sum + one, 0);
        expect(parts.reduce((sum, one) => sum + one, 0)).toBe(readings);
        expect(Math.max(0, ...parts)).toBeLessThanOrEqual(FULL);
        expect(parts.length).toBeLessThanOrEqual(40 + readings / 2000);
        expect(written).toBeLessThanOrEqual(readings * 5 + 1);
      }),
    );
  });
});

describe('readings that are brought back', () => {
  it('have the times under which they are stored, the k-th of a millisecond the k-th', () => {
    expect(asStored([5, 7, 9], [5.5, 7, 7.5])).toEqual([5.5, 7, 9]);
    expect(asStored([7, 7, 7], [7, 7.5])).toEqual([7, 7.5, 7]);
    expect(asStored([7, 5.25, 5], [5.25, 5.5, 7.5])).toEqual([7.5, 5.25, 5.25]);
    expect(asStored([1, 2], [])).toEqual([1, 2]);
  });

  it('in the order of an export are all where they were', () => {
    fc.assert(
      fc.property(fc.uniqueArray(fc.integer({ min: 0, max: 400 }).map((n) => n / 4)), (times) => {
        const stored = [...times].sort((a, b) => a - b);
        expect(asStored(stored.map(Math.floor), stored)).toEqual(stored);
      }),
    );
  });
});
