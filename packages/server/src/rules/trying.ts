import { setImmediate as nextTurn } from 'node:timers/promises';
import {
  beginTrial,
  HOUR_MS,
  isNumeric,
  QUIET,
  suggestLimit,
  USUAL_DAYS,
  usualHours,
  usualPlan,
  type Columns,
  type PlanSample,
  type ReadyPlan,
} from '@peatmoor/core';
import type { TrialResult } from '@peatmoor/contract';
import type { HistoryReader } from '../history/read';
import { readOthers } from '../history/others';
import type { DeviceEntry, DeviceStream } from '../registry';
import type { RuleRow } from '../store/models';
import type { Store } from '../store/store';
import { planFor } from './definition';
import type { Others } from './events';

/** Readings worked out before others have their turn. */
const SLICE = 4000;
/** Values that are kept of what was seen, to suggest a limit. */
const MOST_SEEN = 20_000;
/** Events in one answer at the most; all are counted. */
const MOST_EVENTS = 500;
/** Texts and places that are tried at the most. */
const MOST_OTHERS = 20_000;

interface Parts {
  store: Store;
  history: HistoryReader;
}

interface Line {
  stream: DeviceStream;
  part: number;
  name: string;
}

/** What is usual in a datastream, worked out of the days before a time. */
export async function usualOf(
  history: HistoryReader,
  stream: DeviceStream,
  zone: string,
  now: number,
): Promise<ReturnType<typeof usualHours>> {
  const to = Math.floor(now / HOUR_MS) * HOUR_MS;
  const from = to - USUAL_DAYS * 24 * HOUR_MS;
  // Hour by hour, whatever a chart would draw together.
  const bounds = Array.from({ length: USUAL_DAYS * 24 + 1 }, (_, n) => from + n * HOUR_MS);
  const hours = await history.rollups(stream, bounds);
  return usualHours(
    hours.filter(({ count }) => count > 0).map(({ at, sum, count }) => ({ at, value: sum / count })),
    zone,
  );
}

/** Runs a rule over the past of the devices it watches, in slices, so that nobody else waits. */
export async function tryRule(
  { store, history }: Parts,
  rule: RuleRow,
  devices: readonly DeviceEntry[],
  {
    zone,
    others,
    from,
    to,
    goOn,
  }: {
    zone: string;
    others: Others;
    from: number;
    to: number;
    /** Asked again and again: throws where the outcome is no longer wanted. */
    goOn: () => void;
  },
): Promise<TrialResult> {
  const result: TrialResult = {
    count: 0,
    openMs: 0,
    readings: 0,
    devices: 0,
    events: [],
    suggested: null,
    lowest: null,
    highest: null,
  };
  const seen = sampler(MOST_SEEN);
  const giveWay = async (): Promise<void> => {
    await nextTurn();
    goOn();
  };
  for (const entry of devices) {
    const ready = planFor(rule, entry, zone, (rowId) => others(rowId)?.streams);
    if (ready === null) continue;
    result.devices++;
    const occurrences = await tryOne(entry, ready);
    for (const one of occurrences) {
      result.count++;
      result.openMs += (one.closedAt ?? to) - one.openedAt;
      if (result.events.length < MOST_EVENTS)
        result.events.push({ deviceId: entry.id, deviceName: entry.name, ...one });
    }
  }
  result.events.sort((a, b) => b.openedAt - a.openedAt);
  const sorted = seen.values().sort((a, b) => a - b);
  result.lowest = sorted[0] ?? null;
  result.highest = sorted.at(-1) ?? null;
  if (rule.sort === 'above' || rule.sort === 'below') result.suggested = suggestLimit(sorted, rule.sort);
  return result;

  async function tryOne(entry: DeviceEntry, { plan, inputs }: ReadyPlan) {
    const lines = inputs.flatMap(({ part, name, of, device }): Line[] => {
      const where = device === null ? entry : others(device);
      const stream = typeof of === 'string' ? undefined : where?.streams.find(({ key }) => key === of.stream);
      return stream === undefined ? [] : [{ stream: stream as DeviceStream, part, name }];
    });
    let first = QUIET;
    if (rule.sort === 'unusual' && lines[0] !== undefined)
      first = usualPlan(plan, QUIET, 0, await usualOf(history, lines[0].stream, zone, from));
    const numbers = lines.filter(({ stream }) => isNumeric(stream));
    // What never came before is not silent from the beginning on.
    const asks = plan.parts.some(({ sense }) => sense.hears === true);
    const before = asks
      ? await Promise.all(numbers.map(({ stream }) => history.nearest(stream, from, 'before')))
      : [];
    const heard = !asks || numbers.length < lines.length || before.some((one) => one !== null);
    const trial = beginTrial(plan, from, first, heard);
    const told = (
      await Promise.all(
        lines
          .filter(({ stream }) => !isNumeric(stream))
          .map(async ({ stream, part, name }) =>
            (await readOthers(store, stream, from, to, MOST_OTHERS)).map(({ at, value }): PlanSample => ({
              part,
              name,
              at,
              value: value as PlanSample['value'],
            })),
          ),
      )
    )
      .flat()
      .sort((a, b) => a.at - b.at);
    result.readings += told.length;
    const takeAll = async (samples: readonly PlanSample[]): Promise<void> => {
      for (let i = 0; i < samples.length; i += SLICE) {
        trial.take(samples.slice(i, i + SLICE));
        await giveWay();
      }
    };
    if (numbers.length > 0)
      for await (const columns of history.parts(
        numbers.map(({ stream }) => stream),
        from,
        to,
      )) {
        const newest = Math.max(...columns.map(({ times }) => times.at(-1) ?? -Infinity));
        for (const { times } of columns) result.readings += times.length;
        seen.add(columns[0]!.values);
        if (columns.length === 1 && told.length === 0 && numbers[0]!.name === '' && lines.length === 1) {
          const { times, values } = columns[0]!;
          for (let i = 0; i < times.length; i += SLICE) {
            trial.takeColumns(times.slice(i, i + SLICE), values.slice(i, i + SLICE));
            await giveWay();
          }
          continue;
        }
        const due = told.findIndex(({ at }) => at > newest);
        for (const samples of merged(numbers, columns, told.splice(0, due < 0 ? told.length : due))) {
          trial.take(samples);
          await giveWay();
        }
      }
    await takeAll(told);
    return trial.end(to);
  }
}

/** The values of several lines, and what was told besides, in order of time, a slice at a time. */
function* merged(
  lines: readonly Line[],
  columns: readonly Columns[],
  told: readonly PlanSample[],
): Generator<PlanSample[]> {
  const places = columns.map(() => 0);
  let next = 0;
  for (;;) {
    const slice: PlanSample[] = [];
    while (slice.length < SLICE) {
      let first = -1;
      let at = told[next]?.at ?? Infinity;
      for (let line = 0; line < columns.length; line++) {
        const time = columns[line]!.times[places[line]!];
        if (time !== undefined && time < at) [first, at] = [line, time];
      }
      if (first >= 0) {
        const { part, name } = lines[first]!;
        slice.push({ part, name, at, value: columns[first]!.values[places[first]!++]! });
      } else if (next < told.length) slice.push(told[next++]!);
      else break;
    }
    if (slice.length === 0) return;
    yield slice;
  }
}

/** Keeps at most so many of the values it is given, spread evenly over all of them. */
function sampler(most: number): { add(values: readonly number[]): void; values(): number[] } {
  let kept: number[] = [];
  let every = 1;
  let count = 0;
  return {
    add(values) {
      for (const value of values) {
        if (count++ % every !== 0) continue;
        kept.push(value);
        if (kept.length < most * 2) continue;
        kept = kept.filter((_, i) => i % 2 === 0);
        every *= 2;
      }
    },
    values: () => kept,
  };
}
