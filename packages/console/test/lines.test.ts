import { chartColumns, nearestPoint, usualSpacing } from '../src/charts/lines';

const line = (rows: [at: number, mean: number, low: number, high: number][], spanMs: number) => ({
  key: 'level',
  spanMs,
  times: rows.map(([at]) => at),
  values: rows.map(([, mean]) => mean),
  min: rows.map(([, , low]) => low),
  max: rows.map(([, , , high]) => high),
  count: rows.map(() => 10),
  cut: 0,
});

describe('what a chart draws', () => {
  it('holds the least and greatest of each bucket, so that one 1000 among 20s is there at every zoom', () => {
    const { values, low, high } = chartColumns(
      line(
        [
          [0, 54, 20, 1000],
          [1000, 20, 20, 20],
        ],
        1000,
      ),
      [],
      0,
      5000,
    );
    expect(values).toEqual([54, 20]);
    expect(Math.max(...high.map(Number))).toBe(1000);
    expect(low).toEqual([20, 20]);
  });

  it('breaks where nothing came for longer than is expected, and goes on with what came live', () => {
    const history = line(
      [
        [0, 1, 1, 1],
        [1000, 2, 2, 2],
      ],
      0,
    );
    const tail = [
      { at: 500, value: 9 },
      { at: 2000, value: 3 },
      { at: 9000, value: 4 },
    ];
    const { times, values } = chartColumns(history, tail, 0, 3000);
    expect(values).toEqual([1, 2, 3, null, 4]);
    expect(times).toEqual([0, 1, 2, 2.001, 9]);
  });

  it('leaves out what is before its beginning', () => {
    expect(
      chartColumns(
        line(
          [
            [0, 1, 1, 1],
            [5000, 2, 2, 2],
          ],
          0,
        ),
        [],
        4000,
        1000,
      ).values,
    ).toEqual([2]);
  });

  it('knows how far apart readings usually are, whatever the kind expects', () => {
    expect([usualSpacing([]), usualSpacing([0, 9]), usualSpacing([0, 60, 120, 180, 9000])]).toEqual([
      0, 0, 60,
    ]);
  });

  it('tells the value at the crosshair, and none within a gap', () => {
    const columns = chartColumns(
      line(
        [
          [0, 1, 1, 1],
          [1000, 2, 2, 2],
          [60_000, 3, 3, 3],
        ],
        0,
      ),
      [],
      0,
      3000,
    );
    const valueAt = (at: number): number | null | undefined => {
      const place = nearestPoint(columns, at, 2);
      return place === null ? null : columns.values[place];
    };
    expect([0, 0.6, 2.5, 30, 59.5, 61].map(valueAt)).toEqual([1, 2, 2, null, 3, 3]);
  });
});
