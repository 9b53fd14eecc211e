import {
  along,
  counted,
  decimalsAlong,
  inOtherUnit,
  keptUnitOf,
  lineBetween,
  readWidget,
  sentUnitOf,
  showUnit,
  storeWidget,
  widgetInOtherUnit,
  type RuleCondition,
  type UnitLine,
  type Widget,
} from '@peatmoor/core';
import type { PastUnit } from '@peatmoor/contract';
import type { Transaction } from 'sequelize';
import { conflict, wrongField } from '../problems';
import { definitionOf, moreOf } from '../rules/definition';
import type { DashboardRow, RuleRow, StreamRow } from '../store/models';
import { changeIn, listIn } from '../store/rows';
import type { Store } from '../store/store';

type Next = Omit<StreamRow, 'id' | 'workspaceId' | 'kindId'>;

/** What a change of a datastream's unit comes to. */
export interface UnitChange {
  next: Next;
  /** Rules whose numbers go along, or whose memory holds values of the unit before. */
  rules: RuleRow[];
  dashboards: { row: DashboardRow; widgets: unknown[] }[];
}

interface Asked {
  stream: StreamRow;
  next: Next;
  past: PastUnit | undefined;
  /** What the caller says that boards send. */
  sends: string | null | undefined;
  /** Readings there are, and on how many devices. */
  effect: () => Promise<{ readings: number; devices: number }>;
}

const shown = (unit: string | null): string => showUnit(unit) || unit || 'no unit';

/**
 * What becomes of readings, range, limits and scales when the unit of a datastream changes. Nothing is called something else in
 * silence: where there is something that the unit is said of, the caller must say whether it is converted or only renamed.
 */
export async function unitChangeOf(
  store: Store,
  workspaceId: number,
  { stream, next, past, sends, effect }: Asked,
): Promise<UnitChange> {
  const kept = keptUnitOf(stream);
  if (stream.keptUnit != null) checkStillConverted(stream, next);
  if (past !== undefined && stream.unit !== null && next.unit === stream.unit)
    throw conflict(
      `"${stream.key}" is in ${shown(stream.unit)} already, perhaps since a moment ago: its range and the rest of this change may be meant in the unit before. Read the datastream again, and send what is still to be changed without "past".`,
    );
  // What had no unit is named, which is no other name.
  if (stream.unit === null || next.unit === stream.unit)
    return { next: { ...next, keptUnit: stream.keptUnit ?? null }, rules: [], dashboards: [] };
  const { rules, dashboards } = await usesOf(store, workspaceId, stream);
  const { readings, devices } = await effect();
  if (past === undefined) {
    const calibrations = await store.models.calibrations.count({
      where: { workspaceId, streamId: stream.id },
    });
    if (readings + rules.length + calibrations + dashboards.length === 0)
      return { next: { ...next, keptUnit: null }, rules: [], dashboards: [] };
    const there = [
      ...(readings > 0 ? [`${counted(readings, 'reading')} on ${counted(devices, 'device')}`] : []),
      ...(rules.length > 0 ? [counted(rules.length, 'event rule')] : []),
      ...(calibrations > 0 ? [counted(calibrations, 'calibration')] : []),
      ...(dashboards.length > 0 ? [counted(dashboards.length, 'dashboard')] : []),
    ];
    const possible = next.unit !== null && lineBetween(stream.unit, next.unit) !== null;
    throw wrongField(
      'past',
      `: ${there.join(', ')} of "${stream.key}" are in ${shown(stream.unit)}`,
      `Say what becomes of them: ${possible ? `"convert" shows all of them in ${shown(next.unit)}; ` : ''}"rename" keeps the numbers, and calls them ${shown(next.unit)}.`,
    );
  }
  if (past === 'rename') {
    if (kept !== stream.unit)
      throw wrongField(
        'past',
        `cannot be "rename": readings are kept in ${shown(kept)} and shown in ${shown(stream.unit)}`,
        `Convert them, to ${shown(kept)} too, and rename that.`,
      );
    return { next: { ...next, keptUnit: null }, rules: rules.map(({ rule }) => rule), dashboards: [] };
  }
  const line = next.unit === null ? null : lineBetween(stream.unit, next.unit);
  if (line === null)
    throw wrongField(
      'past',
      `cannot be "convert": ${shown(stream.unit)} and ${shown(next.unit)} measure different things`,
      'Choose a unit of the same quantity, or make a new datastream.',
    );
  await checkConvertible(store, workspaceId, stream, next);
  return {
    next: {
      ...next,
      keptUnit: kept === next.unit ? null : kept,
      // Boards go on sending what they sent, unless the caller says what else they send.
      sentUnit: sentAfter(stream, next, sends),
      ...sameBound('min', stream, next, line),
      ...sameBound('max', stream, next, line),
      decimals: next.decimals === stream.decimals ? decimalsAlong(stream.decimals, line) : next.decimals,
    },
    rules: rules.map((one) => convertRule(one, line)),
    dashboards: dashboards.map((one) => ({ row: one.row, widgets: convertWidgets(one, line) })),
  };
}

/**
 * Keeps a datastream and what goes along with its unit, in the transaction of the change. Refused where somebody else changed its
 * unit meanwhile: what goes along was worked out from the one before.
 */
export async function keepUnitChange(
  store: Store,
  { workspaceId, id, unit, keptUnit = null }: StreamRow,
  { next, rules, dashboards }: UnitChange,
  transaction: Transaction,
): Promise<void> {
  const count = await changeIn(store.models.streams, workspaceId, { id, unit, keptUnit }, next, transaction);
  if (count === 0)
    throw conflict('The unit of this datastream was changed meanwhile. Look at it, and change it again.');
  for (const { id, settings, more } of rules)
    await changeIn(store.models.rules, workspaceId, { id }, { settings, more }, transaction);
  for (const { row, widgets } of dashboards)
    await changeIn(
      store.models.dashboards,
      workspaceId,
      { id: row.id },
      { widgets, version: row.version + 1 },
      transaction,
    );
}

function sentAfter(stream: StreamRow, { unit }: Next, sends: Asked['sends']): string | null {
  const isSaid = sends != null && sends !== stream.sentUnit;
  const sent = isSaid ? sends : sentUnitOf(stream);
  return sent === unit ? null : sent;
}

function sameBound(name: 'min' | 'max', stream: StreamRow, next: Next, line: UnitLine): Partial<Next> {
  const before = stream[name];
  return before !== null && next[name] === before ? { [name]: along(line, before) } : {};
}

/** What is shown converted can only be shown converted: the numbers beneath are in another unit. */
function checkStillConverted(stream: StreamRow, next: Next): void {
  const kept = stream.keptUnit!;
  const fits =
    next.type === 'number' &&
    next.direction === 'report' &&
    next.computation === null &&
    next.unit !== null &&
    lineBetween(kept, next.unit) !== null;
  if (!fits)
    throw conflict(
      `Readings of "${stream.key}" are kept in ${shown(kept)} and shown in ${shown(stream.unit)}. Convert them to ${shown(kept)} first, or make a new datastream.`,
    );
}

async function checkConvertible(
  store: Store,
  workspaceId: number,
  stream: StreamRow,
  next: Next,
): Promise<void> {
  const cannot = (why: string): Error =>
    wrongField('past', `cannot be "convert": ${why}`, 'Take it out there first, or make a new datastream.');
  if (next.type !== 'number' || stream.type !== 'number')
    throw cannot(`"${stream.key}" takes whole numbers, which would get decimals`);
  if (next.computation !== null) throw cannot(`"${stream.key}" is computed; change what it is computed by`);
  if (next.direction !== 'report')
    throw cannot(`people control "${stream.key}", and its boards are told ${shown(stream.unit)}`);
  const names = namesOf(stream);
  const mentions = (text: string): boolean => wordsOf(text).some((word) => names.has(word));
  for (const other of await listIn(store.models.streams, workspaceId, { where: { kindId: stream.kindId } })) {
    const { computation, follow } = other;
    if (computation !== null && mentions('of' in computation ? computation.of : computation.formula))
      throw cannot(`"${other.key}" is computed from it`);
    if (follow?.stream !== undefined && names.has(follow.stream))
      throw cannot(`"${other.key}" is confirmed by it`);
  }
}

/** A rule, and which of its conditions look at the datastream. */
interface RuleOn {
  rule: RuleRow;
  on: boolean[];
}
interface DashboardOn {
  row: DashboardRow;
  widgets: (Widget | null)[];
  isOnly: (widget: Widget) => boolean;
}

async function usesOf(
  store: Store,
  workspaceId: number,
  stream: StreamRow,
): Promise<{ rules: RuleOn[]; dashboards: DashboardOn[] }> {
  const devices = await listIn(store.models.devices, workspaceId, {
    attributes: ['rowId', 'id', 'kindId', 'labels'],
  });
  const ofKind = devices.filter(({ kindId }) => kindId === stream.kindId);
  const rowIds = new Set(ofKind.map(({ rowId }) => rowId));
  const ids = new Set(ofKind.map(({ id }) => id));
  const underLabel = (rule: RuleRow): boolean => {
    const under = devices.filter(({ labels }) => labels.includes(rule.label ?? ''));
    const some = under.filter(({ rowId }) => rowIds.has(rowId));
    if (some.length > 0 && some.length < under.length)
      throw conflict(
        `The rule "${rule.title}" watches "${stream.key}" of devices of several kinds by the label ${rule.label}. Make one for each kind first.`,
      );
    return some.length > 0;
  };
  const names = namesOf(stream);
  const looks = (rule: RuleRow, { sort, stream: key, device, settings }: RuleCondition): boolean => {
    const named =
      sort === 'expression'
        ? wordsOf(settings.expression ?? '').some((word) => names.has(word))
        : key === stream.key && sort !== 'raised';
    if (!named) return false;
    const one = device ?? rule.deviceRowId;
    if (one !== null) return rowIds.has(one);
    return rule.kindId === null ? underLabel(rule) : rule.kindId === stream.kindId;
  };
  const rules = (await listIn(store.models.rules, workspaceId)).map((rule) => ({
    rule,
    on: definitionOf(rule).conditions.map((one) => looks(rule, one)),
  }));
  const dashboards = (await listIn(store.models.dashboards, workspaceId)).map((row) => ({
    row,
    widgets: row.widgets.map(readWidget),
    isOnly: ({ sources }: Widget) =>
      sources.length > 0 &&
      sources.every(
        ({ device, stream: key }) =>
          key === stream.key && (device === null ? row.kindId === stream.kindId : ids.has(device)),
      ),
  }));
  return {
    rules: rules.filter(({ on }) => on.some(Boolean)),
    dashboards: dashboards.filter(({ widgets, isOnly }) =>
      widgets.some((widget) => widget !== null && isOnly(widget)),
    ),
  };
}

/** What formulas may call a datastream. */
const namesOf = ({ key, aliases }: StreamRow): ReadonlySet<string> => new Set([key, ...aliases]);
const wordsOf = (text: string): string[] => text.split(/[^a-z0-9_]+/i);

function convertRule({ rule, on }: RuleOn, line: UnitLine): RuleRow {
  const convert = <S extends object>(sort: string, settings: S): S => {
    const next = inOtherUnit(sort, settings, line);
    if (next !== null) return next;
    throw wrongField(
      'past',
      `cannot be "convert": the rule "${rule.title}" ${sort === 'expression' ? 'calculates with it' : 'adds it up, and the units have different zeros'}`,
      'Change or delete that rule first.',
    );
  };
  const { also, own } = moreOf(rule);
  return {
    ...rule,
    settings: on[0] ? convert(rule.sort, rule.settings) : rule.settings,
    more: {
      ...rule.more,
      also: also.map((one, i) => (on[i + 1] ? { ...one, settings: convert(one.sort, one.settings) } : one)),
      ...(on[0] && {
        own: own.map((one) => (one.limit === null ? one : { ...one, limit: along(line, one.limit) })),
      }),
    },
  };
}

/** Widgets that show this datastream alone go along; what is not known here stays as it is stored. */
const convertWidgets = ({ row, widgets, isOnly }: DashboardOn, line: UnitLine): unknown[] =>
  row.widgets.map((stored, i) => {
    const widget = widgets[i];
    return widget && isOnly(widget) ? storeWidget(widgetInOtherUnit(widget, line)) : stored;
  });
