import { aroundEvent, drawEventChart, isNumeric, showReading } from '@peatmoor/core';
import { now as clockNow } from '../clock';
import { renderDrawing } from '../drawing';
import type { HistoryReader } from '../history/read';
import type { Registry } from '../registry';
import { definitionOf } from '../rules/definition';
import type { EventRow } from '../store/models';
import { findOne } from '../store/rows';
import type { Store } from '../store/store';

const MOST_POINTS = 600;
/** Twice as many points as the drawing has: sharp on a phone. */
const SCALE = 2;
/** Draws the readings around an event as a PNG; null where it is about no numbers. */
export async function chartOfEvent(
  { store, registry, history }: { store: Store; registry: Registry; history: HistoryReader },
  event: EventRow,
): Promise<Buffer | null> {
  const entry = (await registry.load([event.deviceRowId])).get(event.deviceRowId);
  const stream = entry?.streams.find(({ key }) => key === event.streamKey);
  // What was handed over to another workspace is no longer this one's to be shown.
  if (entry?.workspaceId !== event.workspaceId || stream === undefined || !isNumeric(stream)) return null;
  const { from, to } = aroundEvent(event, clockNow());
  const [line] = await history.lines([stream], from, to, MOST_POINTS);
  if (line === undefined || line.times.length === 0) return null;
  const rule = await findOne(store.models.rules, { id: event.ruleId, workspaceId: event.workspaceId });
  const workspace = await findOne(store.models.workspaces, { id: event.workspaceId });
  const { limit, low, high } = rule === null ? {} : (definitionOf(rule).conditions[0]?.settings ?? {});
  const svg = drawEventChart({
    title: `${stream.title}, ${entry.name}`,
    times: line.times.map((at) => at + line.spanMs / 2),
    values: line.values,
    from,
    to,
    limits: [limit, low, high].filter((one) => one !== undefined),
    openedAt: event.openedAt,
    closedAt: event.closedAt,
    zone: workspace?.zone ?? 'UTC',
    show: (value) => showReading(stream, value),
    steps: stream.type === 'boolean' || stream.type === 'choice',
  });
  return renderDrawing(svg, SCALE);
}
