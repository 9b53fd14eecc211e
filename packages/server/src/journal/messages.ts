import { BatchBuilder, type Fact } from '@peatmoor/core';
import type { OpenNumber, Outcome } from './openNumbers';
import type { OtherReading } from './others';

/** What one commit brings to a part of the journal. */
export interface PartOfGroup {
  part: number;
  builder: BatchBuilder;
  others: OtherReading[];
  facts: Fact[];
}

/** How far the parts of a commit have come: readings, others and facts of each. */
type Places = readonly (readonly [readings: number, others: number, facts: number] | undefined)[];

/** A message that must be taken once, and where in a commit it stands. */
export interface NumberedMessage {
  number: OpenNumber;
  from: Places;
  to: Places;
  settle(outcome: Outcome): void;
}

export const placesOf = (parts: readonly (PartOfGroup | undefined)[]): Places =>
  parts.map((one) => one && [one.builder.length, one.others.length, one.facts.length]);

/** The parts of a commit without some of its messages. */
export function leaveOut(
  parts: readonly PartOfGroup[],
  messages: readonly Pick<NumberedMessage, 'from' | 'to'>[],
): PartOfGroup[] {
  return parts.map(({ part, builder, others, facts }) => {
    const isOut = (sort: 0 | 1 | 2, i: number): boolean =>
      messages.some(({ from, to }) => i >= (from[part]?.[sort] ?? 0) && i < (to[part]?.[sort] ?? 0));
    const { series, times, values } = builder.batch();
    const kept = new BatchBuilder(builder.length);
    for (let i = 0; i < builder.length; i++) if (!isOut(0, i)) kept.add(series[i]!, times[i]!, values[i]!);
    return {
      part,
      builder: kept,
      others: others.filter((_, i) => !isOut(1, i)),
      facts: facts.filter((_, i) => !isOut(2, i)),
    };
  });
}
