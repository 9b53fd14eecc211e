import { watched, type ConditionSettings, type Datastream } from '@peatmoor/core';
import type { Rule } from '@peatmoor/contract';
import {
  DISTANCES,
  EMPTY_CONDITION,
  VALUES,
  type Catalogue,
  type ConditionFields,
  type DisplayOf,
  type RuleFields,
  type Stored,
} from './fields';

function areaText(area: ConditionSettings['area']): string {
  if (area === undefined) return '';
  return area.shape === 'circle'
    ? `${area.lat}, ${area.lon}, ${area.metres}`
    : area.corners.map(({ lat, lon }) => `${lat}, ${lon}`).join('\n');
}

function conditionFields(
  stored: Stored,
  stream: Datastream | undefined,
  displayOf: DisplayOf,
): ConditionFields {
  const display = stream && displayOf(stream);
  const value = (one: number | null | undefined): string =>
    one === null || one === undefined ? '' : String(display?.convert(one) ?? one);
  const distance = (one: number | undefined): string =>
    one === undefined ? '' : String(display?.distance(one) ?? one);
  return {
    ...EMPTY_CONDITION,
    comparison: stored.comparison,
    device: stored.deviceId ?? '',
    stream: stored.stream,
    ...Object.fromEntries(VALUES.map((name) => [name, value(stored[name])])),
    ...Object.fromEntries(DISTANCES.map((name) => [name, distance(stored[name])])),
    ...(stored.withinMs !== undefined && { withinMs: stored.withinMs }),
    ...(stored.statistic !== undefined && { statistic: stored.statistic }),
    ...(stored.side !== undefined && { side: stored.side }),
    spreads: stored.spreads === undefined ? EMPTY_CONDITION.spreads : String(stored.spreads),
    text: stored.text ?? '',
    area: areaText(stored.area),
    expression: stored.expression ?? '',
  };
}

/** What the form begins with: a rule as it is, or one that watches what it was opened for. */
export function firstFields(
  before: Rule | undefined,
  { devices, kinds, displayOf }: Catalogue,
  me: number,
  wanted: { device: string | null; kind: string | null; stream: string | null },
): RuleFields {
  if (before === undefined) {
    const device = devices.find(({ id }) => id === wanted.device);
    const whom =
      device !== undefined
        ? `device:${device.id}`
        : wanted.kind !== null
          ? `kind:${wanted.kind}`
          : devices[0] === undefined
            ? `kind:${kinds[0]?.id}`
            : `device:${devices[0].id}`;
    return {
      title: '',
      whom,
      conditions: [{ ...EMPTY_CONDITION, stream: wanted.stream ?? '' }],
      join: 'all',
      holdMs: 0,
      closeHoldMs: 0,
      hours: null,
      severity: 'warning',
      message: '',
      people: [me],
      roles: [],
      emails: '',
      webhooks: [],
      repeatMs: 0,
      escalateMs: 0,
      escalateTo: 0,
      mostAlerts: '12',
      actions: [],
      own: [],
      active: true,
    };
  }
  const streamIn = (deviceId: string | null, key: string): Datastream | undefined =>
    watched({ deviceId: deviceId ?? before.deviceId, kindId: before.kindId, stream: key }, devices, kinds)
      .stream ?? kinds.flatMap(({ streams }) => streams).find((one) => one.key === key);
  return {
    ...before,
    whom:
      before.label !== null
        ? `label:${before.label}`
        : before.deviceId === null
          ? `kind:${before.kindId}`
          : `device:${before.deviceId}`,
    conditions: [{ ...before, deviceId: null } as Stored, ...(before.also as Stored[])].map((one) =>
      conditionFields(one, streamIn(one.deviceId, one.stream), displayOf),
    ),
    emails: before.emails.join(', '),
    repeatMs: before.repeatMs ?? 0,
    escalateMs: before.escalateMs ?? 0,
    escalateTo: before.escalateTo ?? 0,
    mostAlerts: String(before.mostAlerts),
    actions: before.actions.map(({ deviceId, ...one }) => ({ ...one, device: deviceId ?? '' })),
  };
}
